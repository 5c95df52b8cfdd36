import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { answer, GET, POST, PUT, type Shapes } from "../../api/client";
import { useAnswer, useChange, useWanted } from "../../api/use";
import { Findings } from "../../ui/Findings";
import { Pick } from "../../ui/Pick";
import { Button, ButtonLink, Mono, Sheet, Tag, Trouble, Waiting } from "../../ui/parts";
import { useTakeOff } from "../../ui/TakeOff";
import { XRayView } from "../../ui/XRayView";
import { Rename } from "./Rename";

export function OneImage() {
  const { id: text } = useParams();
  const id = Number(text);
  const key = ["image", id];
  const path = { params: { path: { pk: id } } };
  const navigate = useNavigate();
  const takeOff = useTakeOff();
  const { data, error } = useAnswer(key, () => answer(GET("/api/images/{pk}", path)));
  const read = useChange(key, () => answer(POST("/api/images/{pk}/read", path)));
  const stop = useChange(key, () => answer(POST("/api/images/{pk}/stop", path)));
  const use = useChange(["bench", "new"], async (recipe: string) => {
    const made = await answer(POST("/api/deployments", { body: { recipe, name: "", fill: false } }));
    await answer(PUT("/api/deployments/{pk}/image", { params: { path: { pk: made.id } }, body: { image_id: id } }));
    return made;
  });
  if (!data) return error ? <Trouble error={error} /> : <Waiting what="the image" />;
  const { image, xray } = data;
  return (
    <div className="flex flex-col gap-3.5">
      <header className="flex flex-wrap items-end gap-x-3 gap-y-2">
        <div className="min-w-0">
          <div className="text-[0.88rem] text-ink-3">
            <Link to="/images" className="hover:underline">
              Images
            </Link>{" "}
            /
          </div>
          <h1 className="font-mono text-[1.45rem] [overflow-wrap:anywhere]">{image.file_name}</h1>
        </div>
        {image.appliance && <Tag tone="ok">{`${image.appliance} ${image.release}, ${image.build}`}</Tag>}
        <div className="flex flex-wrap gap-2 md:ml-auto">
          <Button onClick={() => read.mutate(undefined)} disabled={data.job?.active ?? false} {...(xray || data.inside.length > 0 ? {} : { main: true })}>
            {data.job?.active ? "Reading…" : xray || data.inside.length > 0 ? "Read it again" : "Read it"}
          </Button>
          {data.job?.active && (
            <Button onClick={() => stop.mutate(undefined)} disabled={stop.isPending}>
              Stop reading
            </Button>
          )}
          {!data.job?.active && !image.file_name.includes("/") && <Rename id={id} name={image.file_name} />}
          {!data.job?.active && <Button onClick={() => takeOff({ kind: "image", id, name: image.file_name, then: () => void navigate("/images") })}>Take it off</Button>}
          {!image.recipe_id && xray && !data.job?.active && (
            <ButtonLink main to={`/images/${id}/use`}>
              Use this image
            </ButtonLink>
          )}
          {image.appliance && xray && (
            <ButtonLink
              main
              to="/new"
              onClick={(e) => {
                e.preventDefault();
                use.mutate(image.recipe_id, { onSuccess: (made) => void navigate(`/deployments/${made.id}/plan`) });
              }}
            >
              Start a deployment with {image.appliance}
            </ButtonLink>
          )}
        </div>
      </header>
      {data.used_by.length > 0 && <p className="-mt-2 text-[0.95rem] text-ink-2">Used by {data.used_by.join(", ")}.</p>}
      <Trouble error={read.error ?? use.error} />
      {image.trouble && data.inside.length > 0 && <WhichOne id={id} data={data} />}
      {image.trouble && data.inside.length === 0 && !data.findings.length && (
        <p role="alert" className="rounded-xl border border-stop bg-sheet px-4 py-3 text-stop">
          {image.trouble}
        </p>
      )}
      {image.trouble && data.inside.length === 0 && data.findings.length > 0 && (
        <div role="alert">
          <Sheet title="Why it is not read">
            <Findings findings={data.findings} />
          </Sheet>
        </div>
      )}
      {data.job?.active && <p className="text-ink-2">Unpacking it once and looking at every volume…</p>}
      {xray ? (
        <>
          <XRayView xray={xray} findings={data.findings} imageId={id} />
          <Sheet title="Findings">
            <Findings findings={data.findings} />
            {!data.findings.some((f) => f.code === "image.sha256-matches") && <Published id={id} fileName={image.file_name.split("/")[0] ?? ""} />}
          </Sheet>
          <Compared id={id} />
        </>
      ) : (
        !data.job?.active && !image.trouble && <p className="text-ink-2">It was not read yet. Reading takes a few seconds a gigabyte.</p>
      )}
    </div>
  );
}

/** What is otherwise here than on another image: what somebody who filled that one wants to know. */
function Compared({ id }: { id: number }) {
  const [other, setOther] = useState(0);
  const others = useAnswer(["image", id, "others"], () => answer(GET("/api/images/{pk}/others", { params: { path: { pk: id } } })));
  const found = useWanted(["image", id, "compare", other], other > 0, () => answer(GET("/api/images/{pk}/compare/{other}", { params: { path: { pk: id, other } } })));
  if (!others.data?.length) return null;
  return (
    <Sheet title="Compared with another">
      <Pick label="Image" value={other ? String(other) : ""} empty="choose one" options={others.data.map((o) => ({ value: String(o.id), text: o.file_name, hint: o.appliance ? `${o.appliance} ${o.release}` : "" }))} onSave={(value) => setOther(Number(value))} />
      <Trouble error={found.error} />
      {found.data && (
        <>
          <p className="mt-2.5 text-[0.93rem] text-ink-2">{found.data.differences.length ? `Otherwise here than on ${found.data.other_name}:` : `Nothing that is read is otherwise here than on ${found.data.other_name}.`}</p>
          <ul>
            {found.data.differences.map((d) => (
              <li key={d.topic + d.title} className="grid gap-x-3 border-t border-rule-2 py-1.5 first:border-0 md:grid-cols-[6rem_minmax(0,1fr)]">
                <span className="text-[0.88rem] text-ink-3">{d.topic}</span>
                <div className="min-w-0">
                  <b className="break-words">{d.title}</b>
                  {d.detail && <span className="block text-[0.93rem] text-ink-2">{d.detail}</span>}
                </div>
              </li>
            ))}
          </ul>
        </>
      )}
    </Sheet>
  );
}

/** A checksum copied from the image's download page, compared here instead of letter by letter. */
function Published({ id, fileName }: { id: number; fileName: string }) {
  const [text, setText] = useState("");
  const compare = useChange(["image", id], () => answer(POST("/api/images/{pk}/checksum", { params: { path: { pk: id } }, body: { text } })));
  return (
    <form
      className="mt-2 flex flex-col gap-1.5 border-t border-rule-2 pt-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        compare.mutate(undefined, { onSuccess: () => setText("") });
      }}
    >
      <label htmlFor="published-sum" className="text-[0.95rem]">
        Its published SHA-256, copied from the download page
      </label>
      <div className="flex flex-wrap items-start gap-2">
        <textarea
          id="published-sum"
          rows={2}
          spellCheck={false}
          value={text}
          onChange={(e) => setText(e.target.value)}
          placeholder={`HASH  ${fileName}`}
          className="min-w-0 flex-1 basis-64 rounded-lg border border-rule bg-field px-2.5 py-1.5 font-mono text-[0.88rem] break-all placeholder:text-ink-3"
        />
        <Button type="submit" disabled={!text.trim() || compare.isPending}>
          Compare
        </Button>
      </div>
      <Trouble error={compare.error} />
    </form>
  );
}

/** An archive with several images: each is read as an image of its own. */
function WhichOne({ id, data }: { id: number; data: Shapes["ImageOut"] }) {
  const navigate = useNavigate();
  const read = useChange(["image", id, "inside"], (inside: string) => answer(POST("/api/images/{pk}/inside", { params: { path: { pk: id } }, body: { path: inside } })));
  return (
    <Sheet title="Which of them?" hint={data.findings[0]?.title}>
      <Trouble error={read.error} />
      <ul>
        {data.inside.map((one) => (
          <li key={one.path} className="flex flex-wrap items-center gap-x-3 gap-y-1.5 border-t border-rule-2 py-2 first:border-0">
            <Mono className="min-w-0 flex-1 basis-48 font-bold [overflow-wrap:anywhere]">{one.path}</Mono>
            <span className="font-mono text-[0.93rem] text-ink-2">{one.size_text}</span>
            {one.image_id === null ? (
              <Button small disabled={read.isPending} onClick={() => read.mutate(one.path, { onSuccess: (made) => void navigate(`/images/${made.image.id}`) })}>
                Read this one
              </Button>
            ) : (
              <ButtonLink small to={`/images/${one.image_id}`}>
                Look at it
              </ButtonLink>
            )}
          </li>
        ))}
      </ul>
    </Sheet>
  );
}

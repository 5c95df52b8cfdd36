import { Link } from "react-router";
import { answer, GET } from "../../api/client";
import { useAnswer } from "../../api/use";
import { Mark } from "../../ui/Mark";
import { ButtonLink } from "../../ui/parts";

/** The first hour: what a deployment wants, in any order, each ticked when it is there, none of it required. */
export function EmptyBench() {
  const { data } = useAnswer(["first-steps"], () => answer(GET("/api/first-steps")));
  const steps = [
    { done: (data?.place ?? false) && (data?.wifi ?? false), to: "/site", title: "Your place", text: "country, clock and the Wi-Fi your devices shall join" },
    { done: data?.board ?? false, to: "/shelf", title: "Your board", text: "by the mark printed on it; a name is enough" },
    { done: data?.image ?? false, to: "/images", title: "Your image", text: "any file for a card: what it holds is read from it" },
  ];
  return (
    <section className="flex flex-col items-start gap-3 rounded-xl border border-dashed border-rule bg-sheet p-6 max-md:p-4">
      <h2 className="text-[1.3rem]">Nothing on the bench yet</h2>
      <p className="max-w-prose text-ink-2">
        A deployment is one appliance on one board with one card. It goes down a line of eight stations, from the plan to the label on
        its box; you can leave at any of them and come back.
      </p>
      <ul aria-label="What it wants" className="grid w-full gap-2.5 md:grid-cols-3">
        {steps.map((s) => (
          <li key={s.to}>
            <Link to={s.to} className="flex h-full items-start gap-2.5 rounded-xl border border-rule px-3.5 py-2.5 hover:border-ink-3">
              <span className="pt-0.5">
                <Mark name={s.done ? "ok" : "yet"} />
              </span>
              <span>
                <b className="block font-[550]">{s.title}</b>
                <span className="block text-[0.93rem] text-ink-2">{s.text}</span>
              </span>
            </Link>
          </li>
        ))}
      </ul>
      <p className="text-[0.93rem] text-ink-2">In any order, and none of it has to be there before you begin.</p>
      <ButtonLink main to="/new">
        Start the first one
      </ButtonLink>
    </section>
  );
}

// A fixed address, or the one the router gives.
import { Link } from "react-router";
import type { Shapes } from "../../api/client";
import { Field } from "../../ui/Field";

interface Props {
  data: Shapes["SettingsOut"];
  save: (body: Shapes["SettingsIn"]) => void;
  problem: string | undefined;
}

export function Address({ data, save, problem }: Props) {
  if (!data.takes_address && !data.address) {
    return (
      <div className="grid grid-cols-[6.4rem_minmax(0,1fr)] items-center gap-x-2.5">
        <span className="text-[0.92rem] text-ink-2">Address</span>
        <span>the router’s to give</span>
      </div>
    );
  }
  const wanted = problem === undefined && data.address !== "";
  return (
    <>
      <Field label="Address" mono value={data.address} placeholder="by itself" problem={problem} hint={wanted ? "fixed" : ""} onSave={(address, was) => save({ address, was: { address: was } })} />
      {data.address === "" && data.addresses_left.length > 0 && (
        <p className="-mt-1 pl-[7rem] text-[0.85rem] text-ink-2">
          Fixed, the place’s plan leaves{" "}
          {data.addresses_left.map((address, n) => (
            <span key={address}>
              {n > 0 && ", "}
              <button type="button" className="font-mono text-mint hover:underline" onClick={() => save({ address, was: { address: data.address } })}>
                {address}
              </button>
            </span>
          ))}
          .
        </p>
      )}
      {data.address !== "" && problem !== undefined && (
        <p className="-mt-1 pl-[7rem] text-[0.85rem] text-ink-2">
          The plan of addresses stands under{" "}
          <Link to="/site" className="text-mint underline">
            Site
          </Link>
          .
        </p>
      )}
    </>
  );
}

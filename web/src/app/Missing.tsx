import { ButtonLink } from "../ui/parts";

export function Missing() {
  return (
    <div className="flex flex-col items-start gap-3 p-6">
      <h1 className="text-[1.6rem]">Nothing is at this address</h1>
      <p className="text-ink-2">It may have been taken off the bench.</p>
      <ButtonLink to="/" main>
        Go to the Bench
      </ButtonLink>
    </div>
  );
}

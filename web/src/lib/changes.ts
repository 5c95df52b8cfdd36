// A change carries what it started from, so that nobody's is lost: only the fields that differ are sent, with what they were.

type Fields = Record<string, unknown>;

const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);

/** The fields of `now` that are no longer as they `was`, and below `was` what those were. */
export function changesOf(was: object, now: object): Fields {
  const before = was as Fields;
  const changed = Object.entries(now).filter(([name, value]) => !same(value, before[name]));
  return { ...Object.fromEntries(changed), was: Object.fromEntries(changed.map(([name]) => [name, before[name]])) };
}

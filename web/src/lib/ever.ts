import { useState } from "react";

/** Whether `flag` was ever true: what is fetched when it is first wanted stays from then on. */
export function useEver(flag: boolean): boolean {
  const [ever, setEver] = useState(false);
  if (flag && !ever) setEver(true);
  return ever;
}

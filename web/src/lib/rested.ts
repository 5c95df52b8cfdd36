// What is typed, once it rests: a question for every letter would ask for words nobody meant.
import { useEffect, useState } from "react";

/** Milliseconds without another letter after which somebody has paused (common practice). */
const REST_MS = 250;

export function useRested<T>(value: T): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), REST_MS);
    return () => clearTimeout(timer);
  }, [value]);
  return rested;
}

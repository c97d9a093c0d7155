import { useEffect, useState } from "react";

/** A value as it is once it has not changed for so many milliseconds. */
export function useSettled<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const waiting = setTimeout(() => setSettled(value), milliseconds);
    return () => clearTimeout(waiting);
  }, [value, milliseconds]);
  return settled;
}

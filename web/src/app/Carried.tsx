import { useEffect, useState } from "react";
import { carryOut } from "./carry";

const SAID_FOR = 2500;

/** Says for a moment what was copied. */
export function Carried() {
  const [said, setSaid] = useState("");
  useEffect(() => carryOut(setSaid), []);
  useEffect(() => {
    if (!said) return;
    const over = setTimeout(() => setSaid(""), SAID_FOR);
    return () => clearTimeout(over);
  }, [said]);
  return (
    <div role="status" className="pointer-events-none fixed bottom-4 left-4 z-50 print:hidden">
      {said ? <p className="border border-edge bg-paper px-3 py-1.5 text-sm">Copied: {said}</p> : null}
    </div>
  );
}

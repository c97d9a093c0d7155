import { useEffect } from "react";

/** What the browser's tab says. */
export function useTitle(title: string) {
  useEffect(() => {
    document.title = title ? `${title} · Matched Pair` : "Matched Pair";
  }, [title]);
}

import { useEffect, useRef } from "react";
import type { Schema } from "../../api/client";
import { useRemembered } from "../../parts/remembered";

/** Tells when a study's renders are done: by the system where that was allowed, and by the tab's title. */
export function useNotice(study: Schema["Study"] | undefined, progress: Schema["Progress"] | undefined) {
  const was = useRef<string | undefined>(undefined);
  const [wanted] = useRemembered("tell when done", false);
  const now = progress?.state;
  useEffect(() => {
    const done = was.current === "running" && now !== undefined && now !== "running";
    was.current = now;
    if (!done || !study) return;
    document.title = `Done: ${study.question}`;
    if (wanted && "Notification" in window && Notification.permission === "granted") {
      const bad = progress?.bad ?? 0;
      const how = bad > 0 ? `${bad} of its renders want a look.` : "All renders finished.";
      new Notification(study.question, { body: how });
    }
  }, [now, study, progress?.bad, wanted]);
}

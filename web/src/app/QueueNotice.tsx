import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { queueQuery } from "../api/queries";
import { remembered } from "../parts/remembered";

/** On whatever screen: when the last render of a study has left the queue, the system tells it where that was allowed. */
export function QueueNotice() {
  const { data } = useQuery({ ...queueQuery, refetchIntervalInBackground: true });
  const queries = useQueryClient();
  const before = useRef(new Map<number, string>());
  useEffect(() => {
    if (!data || data.runs.length < data.waiting) return; // not all are listed, so none is known to be gone
    const now = new Map(data.runs.map((run) => [run.study, run.question]));
    const done = [...before.current].filter(([study]) => !now.has(study));
    before.current = now;
    if (done.length === 0) return;
    void queries.invalidateQueries({ queryKey: ["overview"] });
    // read now: it may have been changed on another screen since this one began
    const wanted = remembered("tell when done", false);
    if (!wanted || !("Notification" in window) || Notification.permission !== "granted") return;
    for (const [, question] of done) new Notification(question, { body: "All its renders have ended." });
  }, [data, queries]);
  return null;
}

import type { Schema } from "../../api/client";

/** How far the tiny renders of a plan are, in one or two sentences. */
export function pilotWords(pilot: Schema["Pilot"], begins: boolean): string {
  const many = `${pilot.renders} tiny ${pilot.renders === 1 ? "render" : "renders"}`;
  if (pilot.open > 0) {
    const left = `${pilot.open} tiny ${pilot.open === 1 ? "render" : "renders"}`;
    return pilot.held
      ? `The time is found out by ${left}, once the queue goes on. ${pilot.held}`
      : `Finding out what it takes: ${left} to go, next in the queue.`;
  }
  if (pilot.failed > 0) return `The time could not be found out. ${pilot.reason}`;
  return begins
    ? `Finding out what it takes: ${many}, 80 pixels wide.`
    : `${many.charAt(0).toUpperCase()}${many.slice(1)}, 80 pixels wide, would tell.`;
}

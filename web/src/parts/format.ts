import { three } from "./numbers";

export { digits, fixed, signed, three } from "./numbers";

/** A time in seconds, from ten minutes on as people say it. */
export function seconds(value: number | null | undefined): string {
  if (value == null) return "not known";
  return value < 600 ? `${three(value)} s` : duration(value);
}

/** The ends of an interval, when there is one. */
export function spread(interval: number[] | null): string {
  const [low, high] = interval ?? [];
  return low === undefined || high === undefined ? "no interval" : `${three(low)} to ${three(high)}`;
}

/** A figure as it is copied: value, unit, and interval. */
export function copied(value: number, unit: string, interval: number[] | null | undefined): string {
  const plain = `${three(value)} ${unit}`.trim();
  return interval ? `${plain} (${spread(interval)})` : plain;
}

/** An option as rows call it: the one that changes nothing is the control. */
export function optionTitle(title: string): string {
  return title === "as the control" ? "the control" : title;
}

/** A stretch of time as people say it: 8 s, 2 min 5 s, 1 h 10 min. */
export function duration(value: number): string {
  const whole = Math.max(0, Math.round(value));
  if (whole < 60) return `${whole} s`;
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${whole % 60} s`;
  return `${Math.floor(whole / 3600)} h ${Math.floor((whole % 3600) / 60)} min`;
}

export function megabytes(bytes: number | null | undefined): string {
  return bytes == null ? "not known" : `${three(bytes / 1e6)} MB`;
}

export function day(iso: string): string {
  return new Date(iso).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "numeric" });
}

export function dayAndTime(iso: string): string {
  return new Date(iso).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}

export function settingValue(value: unknown): string {
  if (value === true) return "on";
  if (value === false) return "off";
  return String(value);
}

/** An engine's own name of a setting, as words. */
export function settingName(name: string): string {
  return name.replace(/_/g, " ");
}

/** Settings as words, such as “bounces 4, screen bounce on”. */
export function settingsInWords(settings: Record<string, unknown>): string {
  return Object.entries(settings)
    .map(([name, value]) => `${settingName(name)} ${settingValue(value)}`)
    .join(", ");
}

/** Bytes in the unit that suits them. */
export function bytes(value: number): string {
  if (value < 1e6) return `${three(value / 1e3)} kB`;
  return value < 1e9 ? `${three(value / 1e6)} MB` : `${three(value / 1e9)} GB`;
}

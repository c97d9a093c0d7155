import type { Schema } from "../../api/client";
import { type Group, varyingSettings } from "./groups";

export type Asked = Schema["AskedStudyRequest"]["asked"];
/** A question; in words where its own title would not fit. */
export type Suggestion = { asked: Asked; words: string };

const asking = (asked: Asked, words = ""): Suggestion => ({ asked, words });

/** What renders were made to find out, by what they differ in. */
export function suggested(groups: Group[], knobs: readonly string[]): Suggestion {
  const seen = (of: (group: Group) => unknown) =>
    new Set(groups.map(of).filter((value) => value != null)).size;
  const first = (group: Group) => group.renders[0];
  if (seen((group) => first(group)?.fields_known.engine) > 1) return asking("engine");
  if (seen((group) => first(group)?.fields_known.version) > 1) return asking("version");
  if (seen((group) => first(group)?.fields_known.variant) > 1) return asking("light");
  if (seen((group) => `${first(group)?.width} ${first(group)?.height}`) > 1) return asking("pixels");
  const levels = (setting: string) => seen((group) => first(group)?.settings[setting]);
  const varying = varyingSettings(groups.flatMap((each) => each.renders));
  const alone = varying.length === 1 && knobs.includes(varying[0] ?? "");
  if (alone || knobs.some((knob) => levels(knob) > 2)) return asking("samples");
  const [one = "", other = ""] = varying.map((setting) => setting.replaceAll("_", " "));
  if (varying.length === 1) {
    if (groups.length === 2) return asking("feature");
    const numbers = groups.every((group) => typeof first(group)?.settings[varying[0] ?? ""] === "number");
    if (numbers) return asking("bounces", howMuch(one));
  }
  const full = varying.reduce((product, setting) => product * levels(setting), 1);
  if (varying.length === 2 && groups.length === full)
    return asking("own", `Do ${one} and ${other} help each other?`);
  return asking("own");
}

/** In words, a number or an amount of a setting by its name: "bounces" are counted, "radius" is not. */
function howMuch(setting: string): string {
  const counted = /s$/.test(setting) && !/(ss|us|is)$/.test(setting);
  return `How ${counted ? "many" : "much"} ${setting} does this scene need?`;
}

const OCCLUSION = /(^|[\W_])(ao|occ|occlusion|ambient_?occlusion)($|[\W_])/i;

/** The layer that is asked about most: occlusion, else the first. */
export function likelyPass(layers: readonly string[]): string {
  return layers.find((layer) => OCCLUSION.test(layer)) ?? layers[0] ?? "";
}

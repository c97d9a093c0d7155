/** Where renders come from, before any is taken in. */
export type Source =
  | { from: "browser"; pictures: File[]; table: File | null }
  | { from: "folder"; folder: string; names: string[]; tables: string[] };

const TABLES = [".csv", ".json"];

/** Pictures and, if there is one, the table beside them. */
export function sorted(files: File[]): { pictures: File[]; table: File | null } {
  const isTable = (file: File) => TABLES.some((ending) => file.name.toLowerCase().endsWith(ending));
  return { pictures: files.filter((file) => !isTable(file)), table: files.find(isTable) ?? null };
}

export function sourceTitle(source: Source): string {
  if (source.from === "folder") return source.folder.split("/").filter(Boolean).at(-1) ?? "Renders";
  const [first] = source.pictures;
  return first ? first.name.replace(/\.[^.]*$/, "") : "Renders";
}

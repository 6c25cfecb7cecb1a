/** A data file of a submission: how it is called, what it holds, and how it is read. */
import type { Schemas } from "../../api/client";

export type How = Partial<Schemas["HowRead"]>;

/** A data file as the form holds it. */
export interface DataFile {
  name: string;
  kind: "rows" | "new_rows" | "sample";
  part: string;
  key: string;
  how: How;
}

export function pathOf(file: DataFile): string {
  return `data/${file.name}`;
}

/** The name of a table: its file's, without what comes after the dot. */
export function tableName(file: DataFile): string {
  return file.name.replace(/\.[^.]+$/, "");
}

/** Rows that were pasted, as the file that they would have come in. */

/** What a spreadsheet copies is separated by tabs. Null where there is not a row of names and one below it. */
export function pastedFile(text: string): File | null {
  const lines = text.split(/\r?\n/).filter((line) => line.trim() !== "");
  if (lines.length < 2) return null;
  const name = lines[0]?.includes("\t") ? "pasted rows.tsv" : "pasted rows.csv";
  return new File([`${lines.join("\n")}\n`], name, { type: "text/plain" });
}

/** A chart as a file: the picture as it stands, or the numbers that it draws. */

export type Cells = readonly (string | number | null)[];

export interface NumbersOf {
  columns: readonly string[];
  rows: readonly Cells[];
}

/** Comma-separated, as RFC 4180 has it; text that a spreadsheet would compute gets an apostrophe before it. */
export function csvOf({ columns, rows }: NumbersOf): string {
  return [columns, ...rows].map((row) => row.map(cell).join(",")).join("\r\n") + "\r\n";
}

function cell(value: string | number | null): string {
  if (value === null) return "";
  if (typeof value === "number") return String(value);
  const safe = /^[=+\-@\t\r]/.test(value) && !/^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(value) ? `'${value}` : value;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

/** A name for the file, from what the chart is called. */
export function fileName(words: string, ending: string): string {
  const plain = words
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "");
  return `${plain.slice(0, 100) || "chart"}.${ending}`;
}

const LOOKS = [
  "fill",
  "stroke",
  "stroke-width",
  "stroke-opacity",
  "stroke-dasharray",
  "font-family",
  "font-size",
  "font-weight",
  "text-anchor",
  "opacity",
];

export interface Key {
  label: string;
  colour: string;
}

const SVG = "http://www.w3.org/2000/svg";
const HEAD = 40;

function make(name: string, looks: Record<string, string | number>, text = ""): SVGElement {
  const made = document.createElementNS(SVG, name);
  for (const [look, value] of Object.entries(looks)) made.setAttribute(look, String(value));
  made.textContent = text;
  return made;
}

/** The chart's picture under its title and key, every look written into it, so that it needs no style sheet; null where there is none. */
export function svgOf(figure: HTMLElement, title: string, keys: readonly Key[]): string | null {
  // Where a band stands above what it is the overview of, the latter is the picture.
  const shown = figure.querySelector<SVGSVGElement>("svg[role=tree]") ?? figure.querySelector("svg");
  if (!shown) return null;
  const copy = shown.cloneNode(true) as SVGSVGElement;
  const { width, height } = shown.getBoundingClientRect();
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(Math.round(width)));
  copy.setAttribute("height", String(Math.round(height)));
  if (!copy.hasAttribute("viewBox")) copy.setAttribute("viewBox", `0 0 ${Math.round(width)} ${Math.round(height)}`);
  const [from, to] = [shown.querySelectorAll("*"), copy.querySelectorAll("*")];
  from.forEach((element, i) => {
    const look = getComputedStyle(element);
    const place = to[i];
    for (const name of LOOKS) if (look.getPropertyValue(name)) place?.setAttribute(name, look.getPropertyValue(name));
    place?.removeAttribute("style");
  });
  const body = getComputedStyle(document.body);
  const words = { fill: body.color, "font-family": body.fontFamily };
  const whole = make("svg", { xmlns: SVG, width: Math.round(width), height: Math.round(height) + HEAD });
  whole.append(make("rect", { width: "100%", height: "100%", fill: body.backgroundColor }));
  whole.append(make("text", { ...words, x: 4, y: 15, "font-size": 13, "font-weight": 600 }, title));
  let x = 4;
  for (const key of keys) {
    whole.append(make("rect", { x, y: 26, width: 14, height: 4, fill: key.colour }));
    whole.append(make("text", { ...words, x: x + 18, y: 32, "font-size": 11 }, key.label));
    x += 34 + 6.2 * key.label.length;
  }
  copy.setAttribute("y", String(HEAD));
  whole.append(copy);
  return new XMLSerializer().serializeToString(whole);
}

const SHARPER = 2;

/** The picture as PNG, at twice the size of the screen's. */
export async function pngOf(svg: string): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = image.width * SHARPER;
  canvas.height = image.height * SHARPER;
  canvas.getContext("2d")?.drawImage(image, 0, 0, canvas.width, canvas.height);
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error("The picture could not be drawn."))), "image/png"),
  );
}

export function save(data: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(data);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

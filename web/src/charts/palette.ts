/** The same colour for the same part or model on every chart (Okabe & Ito). */
const MODELS = [
  "#009E73",
  "#D55E00",
  "#0072B2",
  "#E69F00",
  "#CC79A7",
  "#56B4E9",
  "#8C6D1F",
  "#7A7A7A",
  "#5B3A8E",
  "#B02E2E",
  "#2E7F86",
  "#A8A028",
];

const COLOURS: Record<string, string> = {
  training: "#E69F00",
  validation: "#56B4E9",
  out_of_fold: "#0072B2",
  test: "#009E73",
  data: "#0072B2",
  recipe: "#009E73",
  artifact: "#CC79A7",
  scores: "#CC79A7",
  baseline: "#999999",
  challenger: "#0072B2",
  fold: "#0072B2",
  group: "#CC79A7",
  reference: "#56B4E9",
  positive: "#D55E00",
  negative: "#0072B2",
  "supplied:training": "#CC9A3A",
  "supplied:test": "#CC79A7",
  "supplied:all": "#CC79A7",
};

export function colourOf(name: string): string {
  if (name.startsWith("model:")) return MODELS[Number(name.slice(6)) % MODELS.length] ?? "#0072B2";
  return COLOURS[name] ?? "#0072B2";
}

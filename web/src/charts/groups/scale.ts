/** A short linear axis: a few round ticks about what is there. */
export interface Scale {
  x: (value: number) => number;
  ticks: number[];
  decimals: number;
}

export function scaleOf(values: readonly number[], from: number, width: number, steps = 3): Scale {
  const known = values.filter((value) => Number.isFinite(value));
  let low = Math.min(...known);
  let high = Math.max(...known);
  if (!(high > low)) [low, high] = Number.isFinite(low) ? [low - 0.5, low + 0.5] : [0, 1];
  const step = roundStep((high - low) / steps);
  low = Math.floor(low / step + 1e-9) * step;
  high = Math.ceil(high / step - 1e-9) * step;
  const ticks = Array.from({ length: Math.round((high - low) / step) + 1 }, (_, i) => low + i * step);
  const within = (value: number) => Math.min(Math.max(value, low), high);
  return {
    x: (value) => from + ((within(value) - low) / (high - low)) * width,
    ticks,
    decimals: Math.max(0, Math.min(4, Math.ceil(-Math.log10(step) - 1e-9))),
  };
}

function roundStep(rough: number): number {
  const power = 10 ** Math.floor(Math.log10(rough));
  const fraction = rough / power;
  return (fraction <= 1 ? 1 : fraction <= 2 ? 2 : fraction <= 5 ? 5 : 10) * power;
}

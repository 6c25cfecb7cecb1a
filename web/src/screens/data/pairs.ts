/** All pairs of columns put in an order that shows what hangs together, and the strongest of them. */

export interface Pair {
  one: string;
  other: string;
  measure: string;
  value: number | null;
}

type Strengths = readonly (readonly (number | null)[])[];

/** The target first, then always the column that goes together most with the one before: groups come to lie side by side. */
export function inOrder(names: readonly string[], strengths: Strengths, target: string): number[] {
  const left = new Set(names.keys());
  const order: number[] = [];
  let last = Math.max(0, names.indexOf(target));
  while (left.size > 0) {
    order.push(last);
    left.delete(last);
    let next = -1;
    for (const i of left) if (next < 0 || size(strengths, last, i) > size(strengths, last, next)) next = i;
    last = next;
  }
  return order;
}

/** The pairs of greatest strength, whatever its sign; those that can't be computed are left out. */
export function strongest(
  names: readonly string[],
  strengths: Strengths,
  measures: readonly (readonly string[])[],
  most: number,
): Pair[] {
  const found: Pair[] = [];
  names.forEach((one, i) => {
    for (let j = i + 1; j < names.length; j++) {
      const value = strengths[i]?.[j] ?? null;
      if (value !== null) found.push({ one, other: names[j] ?? "", measure: measures[i]?.[j] ?? "", value });
    }
  });
  return found.sort((a, b) => Math.abs(b.value ?? 0) - Math.abs(a.value ?? 0)).slice(0, most);
}

function size(strengths: Strengths, i: number, j: number): number {
  return Math.abs(strengths[i]?.[j] ?? 0);
}

/** The names from one place in a list to another, both ends among them, whichever comes first. */
export function reached(order: readonly string[], from: string, to: string): string[] {
  const [a, b] = [order.indexOf(from), order.indexOf(to)];
  if (a < 0 || b < 0) return b < 0 ? [] : [to];
  const names = order.slice(Math.min(a, b), Math.max(a, b) + 1);
  return a <= b ? names : names.reverse();
}

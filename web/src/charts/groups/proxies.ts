/** Points of the map of proxies, and where their names find room. */
import type { Estimate, Schemas } from "../../api/client";
import { interval } from "../../wording";

export interface Point {
  feature: string;
  attribute: string;
  /** Its size alone: which way a correlation runs is in its words. */
  association: number;
  low: number | null;
  high: number | null;
  influence: number | null;
  isProtected: boolean;
  words: string;
}

/** Every feature once: against one attribute, or against the single attribute it goes with most. */
export function pointsOf(
  chart: Schemas["ProxyMap"],
  attribute: string | null,
  estimates: readonly Estimate[],
): Point[] {
  const found = new Map<string, Point>();
  for (const one of chart.points) {
    if (attribute === null ? one.attribute.includes(" × ") : one.attribute !== attribute) continue;
    const association = estimates[one.association];
    if (association?.value == null) continue;
    const influence = one.influence == null ? null : (estimates[one.influence]?.value ?? null);
    const point: Point = {
      feature: one.feature,
      attribute: one.attribute,
      association: Math.abs(association.value),
      low: association.low ?? null,
      high: association.high ?? null,
      influence,
      isProtected: one.protected ?? false,
      words: interval(association),
    };
    const before = found.get(one.feature);
    if (!before || before.association < point.association) found.set(one.feature, point);
  }
  return [...found.values()];
}

interface Spot {
  point: Point;
  x: number;
  y: number;
}

export interface Placed extends Spot {
  label: { x: number; y: number; anchor: "start" | "end"; words: string } | null;
}

const [CHARACTER, LINE] = [6.2, 13] as const;

/** Names beside their dots, at the first of four places where they cover no other name and no dot; left out where there is none. */
export function placed(spots: readonly Spot[], left: number, right: number): Placed[] {
  const taken: [number, number, number, number][] = spots.map(({ x, y }) => [x - 5, y - 5, x + 5, y + 5]);
  const free = (box: [number, number, number, number], own: number) =>
    box[0] >= left &&
    box[2] <= right &&
    taken.every(
      (other, i) => i === own || box[2] < other[0] || box[0] > other[2] || box[3] < other[1] || box[1] > other[3],
    );
  const order = spots.map((_, i) => i).sort((a, b) => weight(spots[b]) - weight(spots[a]));
  const labels = new Map<number, Placed["label"]>();
  for (const place of order) {
    const spot = spots[place] as Spot;
    const words = spot.point.isProtected ? `${spot.point.feature} (protected)` : spot.point.feature;
    const span = words.length * CHARACTER;
    for (const [dx, dy] of [
      [8, 4],
      [-8, 4],
      [8, -9],
      [-8, -9],
      [8, 16],
      [-8, 16],
    ] as const) {
      const [x, y] = [spot.x + dx, spot.y + dy];
      const box: [number, number, number, number] =
        dx > 0 ? [x, y - LINE + 2, x + span, y + 2] : [x - span, y - LINE + 2, x, y + 2];
      if (!free(box, place)) continue;
      taken.push(box);
      labels.set(place, { x, y, anchor: dx > 0 ? "start" : "end", words });
      break;
    }
  }
  return spots.map((spot, i) => ({ ...spot, label: labels.get(i) ?? null }));
}

/** What is far out is named first. */
const weight = (spot: Spot | undefined) => (spot ? spot.x - 2 * spot.y : 0);

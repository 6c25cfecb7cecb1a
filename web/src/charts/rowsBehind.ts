/** The address of the rows behind a cell or a bin: it can be sent to a colleague. */
import { useParams, useSearchParams } from "react-router";
import type { Schemas } from "../api/client";

export type Behind = Schemas["Behind"];

const TEXTS = ["model", "part", "outcome", "decided"] as const;
const NUMBERS = ["threshold", "score_from", "score_to"] as const;

export function addressOf(behind: Behind): URLSearchParams {
  const found = new URLSearchParams();
  for (const name of [...TEXTS, ...NUMBERS]) {
    const value = behind[name];
    if (value !== null && value !== undefined) found.set(name, String(value));
  }
  return found;
}

/** What an address asks for; null where it names no model and part. */
export function behindIn(address: URLSearchParams): Behind | null {
  const [model, part] = [address.get("model"), address.get("part")];
  if (!model || !part) return null;
  const number = (name: string) =>
    address.get(name) === null || !Number.isFinite(Number(address.get(name))) ? null : Number(address.get(name));
  return {
    model,
    part,
    outcome: address.get("outcome"),
    decided: address.get("decided"),
    threshold: number("threshold"),
    score_from: number("score_from"),
    score_to: number("score_to"),
  };
}

/** Makes links to rows from within an exhibit, which they lead back to. */
export function useRowsLink(): (behind: Behind) => string {
  const { caseId } = useParams();
  const [here] = useSearchParams();
  return (behind) => {
    const address = addressOf(behind);
    const exhibit = here.get("exhibit");
    if (exhibit) address.set("exhibit", exhibit);
    return `/cases/${caseId}/rows?${address}`;
  };
}

/** The roles in their order, with what each may do. */
export const ROLES: readonly [role: string, may: string][] = [
  ["owner", "submits models, answers questions and findings"],
  ["reviewer", "takes cases, plans, runs checks, writes findings, proposes a decision"],
  ["countersigner", "accepts a proposed decision, or sends it back"],
  ["auditor", "reads everything, changes nothing"],
  ["administrator", "people and policies; no case's contents"],
];

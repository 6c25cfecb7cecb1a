/** Moving a column from one role to another. Pure, so that undo is just the value before. */
import type { Roles } from "../../api/client";

export type Role =
  | "target"
  | "feature"
  | "identifier"
  | "ignore"
  | "weight"
  | "group"
  | "time"
  | "part"
  | "occasion"
  | "alternative"
  | "available"
  | "observed"
  | "none";

const SINGLE = [
  "target",
  "weight",
  "group",
  "time",
  "part",
  "occasion",
  "alternative",
  "available",
  "observed",
] as const;

/** The roles that a choice alone has. */
export const OF_A_CHOICE: readonly Role[] = ["occasion", "alternative", "available"];
const MANY = ["identifier", "ignore"] as const;

export function roleOf(roles: Roles, name: string): Role {
  for (const role of SINGLE) if (roles[role] === name) return role;
  for (const role of MANY) if (roles[role]?.includes(name)) return role;
  if (roles.features) return roles.features.includes(name) ? "feature" : "none";
  return roles.protected?.includes(name) && !roles.also_features?.includes(name) ? "none" : "feature";
}

const without = (names: readonly string[] | undefined, name: string) => (names ?? []).filter((n) => n !== name);

/** A protected column stays protected whatever its role; a new target forgets the old positive value. */
export function moved(roles: Roles, name: string, role: Role, all: readonly string[]): Roles {
  if (roleOf(roles, name) === role || (roleOf(roles, name) === "target" && role !== "target")) return roles;
  const next: Roles = {
    ...roles,
    identifier: without(roles.identifier, name),
    ignore: without(roles.ignore, name),
    also_features: without(roles.also_features, name),
    features: roles.features ? without(roles.features, name) : roles.features,
  };
  for (const single of SINGLE) if (single !== "target" && next[single] === name) next[single] = null;
  switch (role) {
    case "target":
      return { ...next, target: name, positive: null, protected: without(next.protected, name) };
    case "identifier":
    case "ignore":
      return { ...next, [role]: [...(next[role] ?? []), name] };
    case "feature":
      if (next.features) return { ...next, features: [...next.features, name] };
      return next.protected?.includes(name) ? { ...next, also_features: [...(next.also_features ?? []), name] } : next;
    case "none":
      return next.features || next.protected?.includes(name)
        ? next
        : { ...next, features: all.filter((n) => n !== name && roleOf(roles, n) === "feature") };
    default:
      return { ...next, [role]: name };
  }
}

/** The ground that a column is of: as it is tied, else as its name says; empty where it is of none. */
export const groundOf = (roles: Roles, column: { name: string; ground: string | null }) =>
  roles.grounds?.[column.name] ?? column.ground ?? "";

/** Tying a column to a ground; what its name says anyway needs no tie. */
export function tied(roles: Roles, column: { name: string; ground: string | null }, ground: string): Roles {
  const { [column.name]: _, ...others } = roles.grounds ?? {};
  return { ...roles, grounds: ground === (column.ground ?? "") ? others : { ...others, [column.name]: ground } };
}

/** The reviewer has looked: whatever it is called or holds, the column is of no ground. */
export const ofNoGround = (roles: Roles, column: string): Roles => ({
  ...roles,
  grounds: { ...roles.grounds, [column]: "" },
});

/** How those of a level are spoken of; empty takes the form away. */
export function spokenAs(roles: Roles, column: string, level: string, form: string): Roles {
  const { [level]: _, ...others } = roles.spoken?.[column] ?? {};
  const forms = form ? { ...others, [level]: form } : others;
  const { [column]: __, ...rest } = roles.spoken ?? {};
  return { ...roles, spoken: Object.keys(forms).length ? { ...rest, [column]: forms } : rest };
}

/** Marking for the audit changes no fit: a feature stays one. */
export function toggledProtected(roles: Roles, name: string): Roles {
  const role = roleOf(roles, name);
  if (role === "target") return roles;
  if (roles.protected?.includes(name)) {
    const next = {
      ...roles,
      protected: without(roles.protected, name),
      also_features: without(roles.also_features, name),
      grounds: Object.fromEntries(Object.entries(roles.grounds ?? {}).filter(([column]) => column !== name)),
      spoken: Object.fromEntries(Object.entries(roles.spoken ?? {}).filter(([column]) => column !== name)),
    };
    return role === "none" && !roles.features ? { ...next, ignore: [...(next.ignore ?? []), name] } : next;
  }
  const next = { ...roles, protected: [...(roles.protected ?? []), name] };
  return role === "feature" && !roles.features
    ? { ...next, also_features: [...(roles.also_features ?? []), name] }
    : next;
}

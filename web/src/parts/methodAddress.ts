/** Where a check, a measure or a family has its page of methods. */
export const methodAddress = (kind: "check" | "measure" | "family", name: string) => `/methods#${kind}-${name}`;

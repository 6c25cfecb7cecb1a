/** The one door to the server: typed by the API's own description. */
import createClient, { type Middleware } from "openapi-fetch";
import { withKeys } from "./idempotency";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Case = Schemas["CaseView"];
export type CaseLine = Schemas["CaseLine"];
export type Exhibit = Schemas["Exhibit"];
export type Estimate = Schemas["Estimate"];
export type Finding = Schemas["FindingView"];
export type Plan = Schemas["Plan"];
export type Roles = Schemas["Roles"];
export type Change = NonNullable<Schemas["ChangesBody"]["changes"]>[number];
export type Where = NonNullable<Schemas["RowsBody"]["where"]>;
export type Issue = Schemas["Issue"];
export type Run = Schemas["RunView"];
export type Problem = Schemas["Problem"];

/** What the server said went wrong: a sentence, where, and what to do. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super([problem.where, [problem.detail, problem.todo].filter(Boolean).join(" ")].filter(Boolean).join(": "));
  }
}

export function csrfToken(): string {
  return document.cookie.match(/(?:^|; )brookfall_csrf=([^;]*)/)?.[1] ?? "";
}

const withToken: Middleware = {
  onRequest({ request }) {
    request.headers.set("X-CSRF-Token", csrfToken());
    return request;
  },
};

export const client = createClient<paths>({ baseUrl: location.origin });
client.use(withToken, withKeys());

/** The data of an answer, or a Refusal thrown. */
export function told<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.response.ok) return answer.data as T;
  throw new Refusal(asProblem(answer.error, answer.response.status));
}

export function asProblem(error: unknown, status: number): Problem {
  if (typeof error === "object" && error !== null && "detail" in error) return error as Problem;
  return {
    type: "about:blank",
    title: "No answer",
    status,
    detail: "The server did not answer.",
    where: "",
    todo: "Try again in a moment.",
  };
}

/** Sends one file as the part `file` of a form; a refusal is raised as the server words it. */
import { asProblem, csrfToken, Refusal } from "./client";

export async function sendFile(address: string, file: File): Promise<unknown> {
  const body = new FormData();
  body.append("file", file, file.name);
  const response = await fetch(address, { method: "POST", headers: { "X-CSRF-Token": csrfToken() }, body });
  const answer: unknown = await response.json().catch(() => null);
  if (!response.ok) throw new Refusal(asProblem(answer, response.status));
  return answer;
}

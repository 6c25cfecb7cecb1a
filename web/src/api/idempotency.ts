/** A key for each request that makes something: sent again while it is under way, or after its answer was lost, it is
 * the same request with the same key, and what it makes is made once. */
import type { Middleware } from "openapi-fetch";

const HEADER = "Idempotency-Key";
/** What the server makes once for a key. Nothing else is remembered here: other requests carry passwords. */
const MADE_ONCE = /\/(findings|questions|statements|drafts)$/;

export function withKeys(): Middleware {
  const unanswered = new Map<string, string>();
  const bodies = new WeakMap<Request, string>();
  return {
    async onRequest({ request }) {
      if (request.method !== "POST" || !MADE_ONCE.test(request.url)) return;
      const asked = `${request.url}\n${await request.clone().text()}`;
      const key = unanswered.get(asked) ?? crypto.randomUUID();
      unanswered.set(asked, key);
      bodies.set(request, asked);
      request.headers.set(HEADER, key);
      return request;
    },
    onResponse({ request, response }) {
      const asked = bodies.get(request);
      // Of a server that may have failed on its way it is not known what it has done.
      if (asked !== undefined && response.status < 500) unanswered.delete(asked);
    },
  };
}

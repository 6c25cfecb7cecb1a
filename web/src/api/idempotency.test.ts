import { describe, expect, it } from "vitest";
import { withKeys } from "./idempotency";

const ADDRESS = "http://localhost/api/cases/1/findings";

function post(body: object): Request {
  return new Request(ADDRESS, {
    method: "POST",
    body: JSON.stringify(body),
    headers: { "Content-Type": "application/json" },
  });
}

describe("the key of a request that makes something", () => {
  const sent = async (keys: ReturnType<typeof withKeys>, request: Request) => {
    await keys.onRequest?.({ request } as never);
    return request.headers.get("Idempotency-Key");
  };
  const answered = async (keys: ReturnType<typeof withKeys>, request: Request, status: number) => {
    await keys.onResponse?.({ request, response: new Response(null, { status }) } as never);
  };

  it("is the same while the request is under way, and another for another request", async () => {
    const keys = withKeys();
    const first = await sent(keys, post({ title: "Skewed" }));
    expect(first).toMatch(/^[0-9a-f-]{36}$/);
    expect(await sent(keys, post({ title: "Skewed" }))).toBe(first);
    expect(await sent(keys, post({ title: "Other" }))).not.toBe(first);
  });

  it("stays the same after a lost answer, and is another once one came", async () => {
    const keys = withKeys();
    const request = post({ title: "Skewed" });
    const first = await sent(keys, request);
    await answered(keys, request, 502);
    const again = post({ title: "Skewed" });
    expect(await sent(keys, again)).toBe(first);
    await answered(keys, again, 200);
    expect(await sent(keys, post({ title: "Skewed" }))).not.toBe(first);
  });

  it("is not sent with what only reads, nor with a password", async () => {
    expect(await sent(withKeys(), new Request(ADDRESS))).toBeNull();
    const signIn = new Request("http://localhost/api/session", { method: "POST", body: '{"password":"secret"}' });
    expect(await sent(withKeys(), signIn)).toBeNull();
  });
});

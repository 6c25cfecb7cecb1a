/** How people sign in: by a password, or by the house's own provider; and the confirming of who signs. */
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { client, told } from "./client";

export const useSignInWays = () =>
  useQuery({
    queryKey: ["sign-in"],
    queryFn: async () => told(await client.GET("/api/sign-in")),
    staleTime: Infinity,
  });

/** Where a browser is sent to sign in by the provider, to come back to a page of ours. */
export const providerSignIn = (next: string) => `/provider/sign-in?${new URLSearchParams({ next }).toString()}`;

/** Where it is sent to confirm who signs; what it comes back with goes to the page that waits for it. */
export const PROVIDER_CONFIRM = "/provider/confirm";

const CHANNEL = "brookfall-confirmed";

/** Hands a code to sign with to the pages of this browser that wait for one. */
export function handOver(code: string): void {
  const channel = new BroadcastChannel(CHANNEL);
  channel.postMessage(code);
  channel.close();
}

/** Hears of a code to sign with while the page waits for one. */
export function useConfirmed(waits: boolean, onCode: (code: string) => void): void {
  useEffect(() => {
    if (!waits) return undefined;
    const channel = new BroadcastChannel(CHANNEL);
    channel.onmessage = (event: MessageEvent<unknown>) => {
      if (typeof event.data === "string") onCode(event.data);
    };
    return () => channel.close();
  }, [waits, onCode]);
}

export const REFUSALS: Record<string, string> = {
  failed:
    "The sign-in of your house did not answer, or its answer could not be taken. Try again; if it stays so, tell your administrator.",
  no_name:
    "The sign-in of your house does not say who you are in a way that Brookfall can take. Tell your administrator.",
  no_role: "The sign-in of your house gives you no role here. Ask your administrator for one.",
  disabled: "Your account here was disabled. Ask your administrator.",
  other_person:
    "The sign-in of your house says that you are somebody else than this account belongs to. Sign out there, then try again.",
};

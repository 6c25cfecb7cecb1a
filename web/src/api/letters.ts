/** Where one is mailed, and the letters that were written. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type Mail = Schemas["MailView"];
export type MailChoice = Schemas["MailBody"];

export const useMail = () => useQuery({ queryKey: ["mail"], queryFn: async () => told(await client.GET("/api/mail")) });

export function useChooseMail() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: MailChoice) => told(await client.PUT("/api/mail", { body })),
    onSuccess: (mail) => cache.setQueryData(["mail"], mail),
  });
}

export const useLetters = () =>
  useQuery({
    queryKey: ["letters"],
    queryFn: async () => told(await client.GET("/api/letters", { params: { query: {} } })),
  });

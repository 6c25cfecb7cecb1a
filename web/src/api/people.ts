/** People as administrators see them, one-time links, one's own sessions and second factor. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type Account = Schemas["AccountView"];
export type AccountPage = Schemas["AccountPage"];

const at = (personId: number) => ({ params: { path: { person_id: personId } } });
const PEOPLE = ["people"];

export const usePeople = () =>
  useQuery({ queryKey: PEOPLE, queryFn: async () => told(await client.GET("/api/people")) });

export const useAccount = (personId: number) =>
  useQuery({
    queryKey: [...PEOPLE, personId],
    queryFn: async () => told(await client.GET("/api/people/{person_id}", at(personId))),
  });

/** What is done to an account; its page is what the server answers, and the list is asked for anew. */
function useOfAccount<Body>(act: (body: Body) => Promise<AccountPage>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: (page) => {
      cache.setQueryData([...PEOPLE, page.account.id], page);
      return cache.invalidateQueries({ queryKey: PEOPLE, exact: true });
    },
  });
}

export const useAddPerson = () =>
  useOfAccount(async (body: Schemas["NewPersonBody"]) => told(await client.POST("/api/people", { body })));

export const useSetRoles = (personId: number) =>
  useOfAccount(async (roles: string[]) =>
    told(await client.PUT("/api/people/{person_id}/roles", { ...at(personId), body: { roles } })),
  );

export const useDisable = (personId: number) =>
  useOfAccount(async (reason: string) =>
    told(await client.POST("/api/people/{person_id}/disable", { ...at(personId), body: { reason } })),
  );

export const useEnable = (personId: number) =>
  useOfAccount(async () => told(await client.POST("/api/people/{person_id}/enable", at(personId))));

export const useEndSecondFactorOf = (personId: number) =>
  useOfAccount(async () => told(await client.DELETE("/api/people/{person_id}/second-factor", at(personId))));

export function useMakeLink(personId: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (mail: boolean) =>
      told(await client.POST("/api/people/{person_id}/link", { ...at(personId), body: { mail } })),
    onSuccess: () => cache.invalidateQueries({ queryKey: PEOPLE }),
  });
}

/** Whose one-time link it is; it is asked for once, as a link that was used is no more. */
export const useLink = (secret: string) =>
  useQuery({
    queryKey: ["link", secret],
    queryFn: async () => {
      // The server's first answer brings the token that the next request must carry.
      await fetch("/api/health");
      return told(await client.POST("/api/password-link", { body: { secret } }));
    },
    enabled: secret !== "",
    retry: false,
    refetchOnWindowFocus: false,
  });

export const useLinkUsed = () =>
  useMutation({
    mutationFn: async (body: Schemas["UseLinkBody"]) => told(await client.PUT("/api/password-link", { body })),
  });

export const useRating = (password: string, secret: string) =>
  useQuery({
    queryKey: ["rating", password, secret],
    queryFn: async () => told(await client.POST("/api/password-rating", { body: { password, secret } })),
    enabled: password !== "",
    gcTime: 0,
    retry: false,
    refetchOnWindowFocus: false,
  });

const SESSIONS = ["sessions"];

export const useSessions = () =>
  useQuery({ queryKey: SESSIONS, queryFn: async () => told(await client.GET("/api/sessions")) });

export function useEndSession() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (id: string) =>
      told(await client.DELETE("/api/sessions/{session_id}", { params: { path: { session_id: id } } })),
    onSuccess: (left) => cache.setQueryData(SESSIONS, left),
  });
}

const SECOND = ["second-factor"];

export const useSecondFactor = () =>
  useQuery({ queryKey: SECOND, queryFn: async () => told(await client.GET("/api/second-factor")) });

export const useBeginSecondFactor = () =>
  useMutation({
    mutationFn: async (password: string) => told(await client.POST("/api/second-factor", { body: { password } })),
  });

export function useConfirmSecondFactor() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (code: string) => told(await client.PUT("/api/second-factor", { body: { code } })),
    onSuccess: () => cache.invalidateQueries({ queryKey: SECOND }),
  });
}

export function useEndSecondFactor() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (password: string) => told(await client.POST("/api/second-factor/end", { body: { password } })),
    onSuccess: (view) => cache.setQueryData(SECOND, view),
  });
}

export type Team = Schemas["TeamView"];

const TEAMS = ["teams"];

export const useTeams = () => useQuery({ queryKey: TEAMS, queryFn: async () => told(await client.GET("/api/teams")) });

export function useMakeTeam() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["TeamBody"]) => told(await client.POST("/api/teams", { body })),
    onSuccess: (teams) => cache.setQueryData(TEAMS, teams),
  });
}

export function useChangeTeam(teamId: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["ChangedTeamBody"]) =>
      told(await client.PUT("/api/teams/{team_id}", { params: { path: { team_id: teamId } }, body })),
    onSuccess: (teams) => cache.setQueryData(TEAMS, teams),
  });
}

/** Drafts: what the server keeps of a submission that is being put together, and sending files to it piece by piece. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { asProblem, client, csrfToken, Refusal, told, type Schemas } from "./client";
import { setKnown } from "./known";

export type Draft = Schemas["DraftView"];
export type DraftFile = Schemas["DraftFileView"];
export type NewDraft = Partial<Schemas["NewDraft"]>;
export type BriefBody = Schemas["BriefBody"];
type How = Partial<Schemas["HowRead"]>;

const POLL_MS = 500;
const PIECE = 4 << 20;
const TRIES = 6;

/** As much of a text file as tells how it is read. */
export const BEGINNING = 1 << 20;

const at = (id: number) => ({ params: { path: { draft_id: id } } });

export const useDrafts = () =>
  useQuery({ queryKey: ["drafts"], queryFn: async () => told(await client.GET("/api/drafts")) });

/** Asked again and again while a worker takes it in. */
export const useDraft = (id: number | null) =>
  useQuery({
    queryKey: ["draft", id],
    enabled: id !== null,
    queryFn: async () => told(await client.GET("/api/drafts/{draft_id}", at(id ?? 0))),
    refetchInterval: (query) =>
      query.state.data?.state === "waiting" || query.state.data?.state === "leased" ? POLL_MS : false,
  });

/** How a file would be read, as soon as enough of it has come. */
export const usePreviewOf = (id: number, file: DraftFile | undefined, how: How) =>
  useQuery({
    queryKey: ["preview", id, file?.path, file?.stamp, how],
    enabled: file !== undefined && isReadable(file),
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      told(
        await client.POST("/api/drafts/{draft_id}/preview", {
          ...at(id),
          body: { path: file?.path ?? "", how: how as Schemas["HowRead"] },
        }),
      ),
  });

export function isReadable(file: DraftFile): boolean {
  const enough = /\.(csv|tsv|txt)$/i.test(file.path) ? Math.min(file.size, BEGINNING) : file.size;
  return file.received >= enough && file.size > 0;
}

/** Does something to a draft and keeps what the server says of it. */
function useDraftAct<In>(act: (input: In) => Promise<Draft>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: (draft) => {
      setKnown(cache, ["draft", draft.id], draft);
      return cache.invalidateQueries({ queryKey: ["drafts"] });
    },
  });
}

export const useBegin = () =>
  useDraftAct(async (body: NewDraft) =>
    told(
      await client.POST("/api/drafts", {
        body: { brief: body.brief ?? {}, due: body.due ?? null, added_to: body.added_to ?? null, scored: false },
      }),
    ),
  );

export const useSaveBrief = (id: number) =>
  useDraftAct(async (body: BriefBody) => told(await client.PUT("/api/drafts/{draft_id}", { ...at(id), body })));

export const useTakeAway = (id: number) =>
  useDraftAct(async (path: string) =>
    told(await client.DELETE("/api/drafts/{draft_id}/files", { params: { path: { draft_id: id }, query: { path } } })),
  );

export const useSubmission = (id: number) =>
  useDraftAct(async (_: void) => told(await client.POST("/api/drafts/{draft_id}/submission", at(id))));

export const useWithdraw = (id: number) =>
  useDraftAct(async (_: void) => told(await client.DELETE("/api/drafts/{draft_id}/submission", at(id))));

export const useThrowAway = () => {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (id: number) => told(await client.DELETE("/api/drafts/{draft_id}", at(id))),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["drafts"] }),
  });
};

/** Why the draft was not taken in, while it is open to be mended. */
export function faultOf(draft: Draft): Error | null {
  const { fault } = draft;
  return fault && draft.state === "open"
    ? new Refusal({ type: "about:blank", title: "Not taken in", status: 422, ...fault })
    : null;
}

/** What a file is known by, so that one chosen again after a cut goes on and a changed one begins anew. */
export const stampOf = (file: Blob) =>
  `${file.size}-${"lastModified" in file ? String(file.lastModified) : Date.now()}`;

/** Sends a file from where the server has come to; after a cut it waits and goes on. */
export async function sendFile(
  id: number,
  path: string,
  file: Blob,
  stamp: string,
  onFile: (file: DraftFile) => void,
): Promise<void> {
  let received = await comeTo(id, path, file.size, stamp);
  let failures = 0;
  do {
    try {
      const sent = await sendPiece(
        id,
        { path, size: file.size, received, stamp },
        file.slice(received, received + PIECE),
      );
      onFile(sent);
      received = sent.received;
      failures = 0;
    } catch (problem) {
      const lasting = problem instanceof Refusal && problem.problem.status !== 409 && problem.problem.status < 500;
      failures += 1;
      if (lasting || failures === TRIES) throw problem;
      await new Promise((resolve) => setTimeout(resolve, 250 * 2 ** failures));
      received = await comeTo(id, path, file.size, stamp).catch(() => received);
    }
  } while (received < file.size);
}

async function comeTo(id: number, path: string, size: number, stamp: string): Promise<number> {
  const { files } = told(await client.GET("/api/drafts/{draft_id}", at(id)));
  return files.find((one) => one.path === path && one.size === size && one.stamp === stamp)?.received ?? 0;
}

async function sendPiece(id: number, place: DraftFile, piece: Blob): Promise<DraftFile> {
  const query = new URLSearchParams({
    path: place.path,
    size: String(place.size),
    offset: String(place.received),
    stamp: place.stamp,
  });
  const digest = await digestOf(piece);
  if (digest) query.set("sha256", digest);
  const response = await fetch(`/api/drafts/${id}/files?${query}`, {
    method: "PUT",
    body: piece,
    headers: { "X-CSRF-Token": csrfToken(), "Content-Type": "application/octet-stream" },
  });
  const body: unknown = await response.json().catch(() => null);
  if (!response.ok) throw new Refusal(asProblem(body, response.status));
  return body as DraftFile;
}

/** None where the page came over plain HTTP from another machine: browsers compute no digest there. */
async function digestOf(piece: Blob): Promise<string | null> {
  if (!globalThis.crypto?.subtle) return null;
  const digest = await crypto.subtle.digest("SHA-256", await piece.arrayBuffer());
  return [...new Uint8Array(digest)].map((byte) => byte.toString(16).padStart(2, "0")).join("");
}

/** The case of a model's last version, asked for when a form is to be filled in with what it said. */
export const useLastVersion = () =>
  useMutation({
    mutationFn: async (caseId: number) =>
      told(await client.GET("/api/cases/{case_id}", { params: { path: { case_id: caseId } } })),
  });

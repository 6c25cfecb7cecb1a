/** Statements of a case: what the server keeps of them, and the files beside them. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";
import { sendFile } from "./sendFile";

export type Statement = Schemas["StatementView"];
export type StatementText = Schemas["StatementText"];
export type StatementStanding = StatementText["standing"];

const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useStatements = (caseId: number) =>
  useQuery({
    queryKey: ["statements", caseId],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/statements", at(caseId))),
  });

/** Does something to a statement, and has all asked anew that it may have changed. */
function useStatementAct<In>(caseId: number, act: (input: In) => Promise<Statement>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () =>
      Promise.all(
        [["statements", caseId], ["decision", caseId], ["case", caseId], ["docket"]].map((queryKey) =>
          cache.invalidateQueries({ queryKey }),
        ),
      ),
  });
}

export const useSaveStatement = (caseId: number) =>
  useStatementAct(
    caseId,
    async ({ id, revision, statement }: { id: number | null; revision: number; statement: StatementText }) =>
      id === null
        ? told(await client.POST("/api/cases/{case_id}/statements", { ...at(caseId), body: { revision, statement } }))
        : told(
            await client.PUT("/api/cases/{case_id}/statements/{statement_id}", {
              params: { path: { case_id: caseId, statement_id: id } },
              body: { revision, statement },
            }),
          ),
  );

export const fileAddress = (caseId: number, statementId: number, fileId: number) =>
  `/api/cases/${caseId}/statements/${statementId}/files/${fileId}`;

/** Sends files one after the other, each on what the one before has left. */
export const useAttach = (caseId: number) =>
  useStatementAct(caseId, async ({ statement, files }: { statement: Statement; files: File[] }) => {
    let now = statement;
    for (const file of files) {
      const address = `/api/cases/${caseId}/statements/${now.id}/files?revision=${now.revision}`;
      now = (await sendFile(address, file)) as Statement;
    }
    return now;
  });

export const useTakeAway = (caseId: number) =>
  useStatementAct(caseId, async ({ statement, fileId }: { statement: Statement; fileId: number }) =>
    told(
      await client.DELETE("/api/cases/{case_id}/statements/{statement_id}/files/{file_id}", {
        params: {
          path: { case_id: caseId, statement_id: statement.id ?? 0, file_id: fileId },
          query: { revision: statement.revision },
        },
      }),
    ),
  );

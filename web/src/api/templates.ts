/** Templates of the house: texts of findings with fields, and plans. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, told, type Schemas } from "./client";

export type Template = Schemas["TemplateView"];
export type FindingWords = Schemas["FindingWords"];

const TEMPLATES = ["templates"];
const at = (caseId: number) => ({ params: { path: { case_id: caseId } } });

export const useTemplates = () =>
  useQuery({ queryKey: TEMPLATES, queryFn: async () => told(await client.GET("/api/templates")) });

function useKept<Body>(act: (body: Body) => Promise<Schemas["TemplatesView"]>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: (view) => {
      cache.setQueryData(TEMPLATES, view);
      for (const key of ["finding-texts", "house-plans"]) void cache.invalidateQueries({ queryKey: [key] });
    },
  });
}

export const useKeepTemplate = () =>
  useKept(async (body: Schemas["FindingTemplate"]) => told(await client.POST("/api/templates", { body })));

export const useChangeTemplate = (templateId: number) =>
  useKept(async (body: Schemas["ChangedTemplateBody"]) =>
    told(await client.PUT("/api/templates/{template_id}", { params: { path: { template_id: templateId } }, body })),
  );

export const useCloseTemplate = () =>
  useKept(async ({ id, revision }: Template) =>
    told(
      await client.DELETE("/api/templates/{template_id}", {
        params: { path: { template_id: id }, query: { revision } },
      }),
    ),
  );

export const useKeepPlan = (caseId: number) =>
  useKept(async (name: string) =>
    told(await client.POST("/api/cases/{case_id}/house-plans", { ...at(caseId), body: { name } })),
  );

/** The texts that fit a finding from an exhibit, filled in as far as the case can. */
export const useFindingTexts = (caseId: number, exhibit: number | null) =>
  useQuery({
    queryKey: ["finding-texts", caseId, exhibit],
    queryFn: async () =>
      told(
        await client.GET("/api/cases/{case_id}/finding-texts", {
          params: { path: { case_id: caseId }, query: exhibit === null ? {} : { exhibit } },
        }),
      ),
  });

export const useHousePlans = (caseId: number) =>
  useQuery({
    queryKey: ["house-plans", caseId],
    queryFn: async () => told(await client.GET("/api/cases/{case_id}/house-plans", at(caseId))),
  });

/** A plan of the house, and what taking it over would change. */
export const useCompareHousePlan = (caseId: number) =>
  useMutation({
    mutationFn: async (templateId: number) =>
      told(
        await client.GET("/api/cases/{case_id}/house-plans/{template_id}", {
          params: { path: { case_id: caseId, template_id: templateId } },
        }),
      ),
  });

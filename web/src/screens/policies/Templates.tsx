/** Templates: the texts of findings and the plans that the house keeps, to be begun from. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import { useMethods } from "../../api/methods";
import { useCloseTemplate, useTemplates, type Template } from "../../api/templates";
import { DataTable } from "../../parts/DataTable";
import { Main } from "../../parts/Main";
import { Fetching, Said } from "../../parts/Said";
import { day, outcome, severity } from "../../wording";
import { TextForm } from "./TextForm";

export function Templates() {
  const templates = useTemplates();
  const close = useCloseTemplate();
  const methods = useMethods();
  const [open, setOpen] = useState<Template | "new" | null>(null);
  if (templates.isPending) return <Fetching what="the templates" />;
  if (!templates.data)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={templates.error} />
      </Box>
    );
  const { findings, plans, may_write: may, fields } = templates.data;
  const checks = (methods.data ?? []).filter((one) => one.kind === "check");
  const nameOf = (check: string) => checks.find((one) => one.name === check)?.title ?? check;
  const kept = (one: Template) => `${one.by}, ${day(one.made.slice(0, 10))}`;
  return (
    <Main>
      <Link to="/policies">Policies</Link>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mt: 0.5, mb: 1 }}>
        <Typography variant="h1">Templates</Typography>
        {may && open === null && (
          <Button variant="outlined" sx={{ ml: "auto" }} onClick={() => setOpen("new")}>
            Write a text for findings
          </Button>
        )}
      </Box>
      <Typography sx={{ color: "text.secondary", maxWidth: 860, mb: 2 }}>
        A text is offered where a finding is written from an exhibit of its check; fields in braces are filled in from
        the case. A plan is kept on the Plan page of a case, and offered to cases of its kind.
      </Typography>
      {open !== null && (
        <TextForm
          key={open === "new" ? "new" : open.id}
          kept={open === "new" ? null : open}
          checks={checks}
          fields={fields}
          onClose={() => setOpen(null)}
        />
      )}
      <Said error={close.error} />
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Texts of findings
      </Typography>
      {findings.length === 0 ? (
        <Typography sx={{ color: "text.secondary", mb: 2 }}>None is kept yet.</Typography>
      ) : (
        <DataTable
          wide
          label="Texts of findings"
          rows={findings}
          keyOf={(one) => one.id}
          sx={{ mb: 2 }}
          columns={[
            { head: "text", namesRow: true, cell: (one) => one.name },
            { head: "for", cell: (one) => (one.fits ? nameOf(one.fits) : "any exhibit") },
            { head: "severity", cell: (one) => severity(one.words?.severity ?? 1) },
            { head: "title", cell: (one) => one.words?.title },
            { head: "kept by", sx: { whiteSpace: "nowrap" }, cell: kept },
            {
              cell: (one) =>
                may && (
                  <Box sx={{ display: "flex" }}>
                    <Button onClick={() => setOpen(one)}>Change</Button>
                    <Button disabled={close.isPending} onClick={() => close.mutate(one)}>
                      Offer no more
                    </Button>
                  </Box>
                ),
            },
          ]}
        />
      )}
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        Plans
      </Typography>
      {plans.length === 0 ? (
        <Typography sx={{ color: "text.secondary" }}>None is kept yet.</Typography>
      ) : (
        <DataTable
          wide
          label="Plans"
          rows={plans}
          keyOf={(one) => one.id}
          columns={[
            { head: "plan", namesRow: true, cell: (one) => one.name },
            { head: "for", cell: (one) => `${outcome(one.fits)} outcomes` },
            { head: "kept by", cell: kept },
            {
              cell: (one) =>
                may && (
                  <Button disabled={close.isPending} onClick={() => close.mutate(one)}>
                    Offer no more
                  </Button>
                ),
            },
          ]}
        />
      )}
    </Main>
  );
}

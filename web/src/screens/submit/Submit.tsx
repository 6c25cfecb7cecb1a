/** Submitting a model: what is half done, and a beginning by package or by form. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link, useNavigate } from "react-router";
import { useBegin, useDrafts, useThrowAway, type Draft } from "../../api/drafts";
import { Main } from "../../parts/Main";
import { Said } from "../../parts/Said";
import { moment, plural } from "../../wording";
import { briefOf, type Way } from "./brief";

export function Submit() {
  const drafts = useDrafts();
  const begin = useBegin();
  const throwAway = useThrowAway();
  const go = useNavigate();
  const start = (way: Way) => begin.mutate({ brief: { way } }, { onSuccess: ({ id }) => void go(`/submit/${id}`) });
  return (
    <Main>
      <Box sx={{ maxWidth: 760 }}>
        <Typography variant="h1" sx={{ mb: 0.5 }}>
          Submit a model
        </Typography>
        <Typography sx={{ color: "text.secondary", mb: 2 }}>
          It lands on the docket, waiting for a reviewer who is not you. What is sent is read and checked first; if
          anything is wrong, it does not land, and stays here to be mended.
        </Typography>
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 3, mb: 3 }}>
          <Beginning
            title="With data files and a form"
            words="Drag the data in, see how it is read, and say in a short form what the model is, how it was built and what is claimed for it. It can be left half done."
            act="Begin a form"
            onBegin={() => start("form")}
            pending={begin.isPending}
          />
          <Beginning
            title="As a package"
            words="A zip with submission.yaml at its top and the files that it names: data, and, if there are any, predictions and a fitted model as ONNX."
            act="Send a package"
            onBegin={() => start("package")}
            pending={begin.isPending}
          />
        </Box>
        <Said error={begin.error ?? throwAway.error} />
        <Typography variant="h2" sx={{ mb: 0.5 }}>
          Half done
        </Typography>
        {drafts.data?.length === 0 && (
          <Typography sx={{ color: "text.secondary" }}>
            Nothing. What you begin and don’t submit is kept here.
          </Typography>
        )}
        {drafts.data?.map((draft) => (
          <Box
            key={draft.id}
            sx={{ display: "flex", gap: 1.5, alignItems: "baseline", borderTop: 1, borderColor: "divider", py: 0.75 }}
          >
            <Link to={`/submit/${draft.id}`}>{titleOf(draft)}</Link>
            <span>{standingOf(draft)}</span>
            <Box component="span" sx={{ color: "text.secondary", ml: "auto" }}>
              {plural(draft.files.length, "file")}, {moment(draft.changed)}
            </Box>
            <Button
              sx={{ py: 0 }}
              disabled={draft.state !== "open" || throwAway.isPending}
              onClick={() => throwAway.mutate(draft.id)}
              aria-label={`Throw away ${titleOf(draft)}`}
            >
              Throw away
            </Button>
          </Box>
        ))}
      </Box>
    </Main>
  );
}

interface BeginningProps {
  title: string;
  words: string;
  act: string;
  pending: boolean;
  onBegin: () => void;
}

function Beginning({ title, words, act, pending, onBegin }: BeginningProps) {
  return (
    <Box
      component="section"
      aria-label={title}
      sx={{
        borderTop: 2,
        borderColor: "primary.main",
        pt: 1,
        display: "grid",
        gap: 1,
        justifyItems: "start",
        alignContent: "start",
      }}
    >
      <Typography variant="h3">{title}</Typography>
      <Typography>{words}</Typography>
      <Button variant="contained" disabled={pending} onClick={onBegin}>
        {act}
      </Button>
    </Box>
  );
}

export function titleOf(draft: Draft): string {
  const { fields, way } = briefOf(draft);
  const named = [fields.name, fields.version].filter(Boolean).join(" ");
  if (named) return named;
  return way === "package" ? (draft.files[0]?.path ?? "A package") : "A model without a name yet";
}

function standingOf(draft: Draft): string {
  if (draft.state !== "open") return "is being read and checked";
  return draft.fault ? `was not taken in: ${draft.fault.detail}` : "";
}

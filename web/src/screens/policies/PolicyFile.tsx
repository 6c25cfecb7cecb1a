/** The draft as the text of its file: everything can be changed there, by hand or from a file of another house. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useChangePolicyByFile, usePolicyText, type PolicyHead } from "../../api/policies";
import { Said } from "../../parts/Said";

export function PolicyFile({ head }: { head: PolicyHead }) {
  const [open, setOpen] = useState(false);
  const text = usePolicyText(head.id, head.revision, open);
  return (
    <Box component="section" aria-label="As a file">
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        As a file
      </Typography>
      <Typography sx={{ color: "text.secondary", mb: 1, maxWidth: 860 }}>
        Statements, grounds, limits of single checks and of single kinds of outcome are written here. What a file does
        not say is as in the built-in policy.
      </Typography>
      {!open && (
        <Button variant="outlined" onClick={() => setOpen(true)}>
          Open the text
        </Button>
      )}
      {text.data !== undefined && <Text key={head.revision} head={head} text={text.data} />}
      <Said error={text.error} />
    </Box>
  );
}

function Text({ head, text }: { head: PolicyHead; text: string }) {
  const change = useChangePolicyByFile(head.id);
  const [typed, setTyped] = useState(text);
  const [file, setFile] = useState("policy.yaml");
  const choose = async (chosen: File | undefined) => {
    if (!chosen) return;
    setFile(chosen.name);
    setTyped(await chosen.text());
  };
  return (
    <Box sx={{ display: "grid", gap: 1, justifyItems: "start" }}>
      <Box
        component="textarea"
        aria-label="The policy's text"
        spellCheck={false}
        value={typed}
        rows={24}
        onChange={(event: React.ChangeEvent<HTMLTextAreaElement>) => setTyped(event.target.value)}
        sx={{
          width: "100%",
          maxWidth: 860,
          font: "inherit",
          fontFamily: "monospace",
          p: 1,
          color: "inherit",
          bgcolor: "transparent",
        }}
      />
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <Button
          variant="outlined"
          disabled={change.isPending || typed === text}
          onClick={() => change.mutate({ revision: head.revision, file, text: typed })}
        >
          Take the text over
        </Button>
        <label>
          Or read it from a file:{" "}
          <input type="file" accept=".yaml,.yml" onChange={(event) => void choose(event.target.files?.[0])} />
        </label>
      </Box>
      <Said error={change.error} />
    </Box>
  );
}

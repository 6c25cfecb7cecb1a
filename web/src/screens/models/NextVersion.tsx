/** Begins the form of a model's next version, filled in with what its newest declared. */
import Button from "@mui/material/Button";
import { useNavigate } from "react-router";
import type { Schemas } from "../../api/client";
import { useBegin, useLastVersion } from "../../api/drafts";
import { useMe } from "../../api/queries";
import { Said } from "../../parts/Said";
import { fieldsOf, notInForm, type Filled } from "../submit/fromLast";

export function NextVersion({ model }: { model: Schemas["ModelPage"] }) {
  const me = useMe().data;
  const last = useLastVersion();
  const begin = useBegin();
  const go = useNavigate();
  const newest = model.versions[0]?.line;
  const mine = [model.owner, ...model.members].some((one) => one.id === me?.id) && me?.roles.includes("owner");
  if (!mine || !newest || model.withdrawn) return null;
  const start = async () => {
    const { submission, version } = await last.mutateAsync(newest.id);
    const fields = { ...fieldsOf(submission), key: model.key, name: model.name };
    const { id } = await begin.mutateAsync({ brief: { way: "form", fields, files: [] } });
    const filled: Filled = { version, left: notInForm(submission) };
    await go(`/submit/${id}`, { state: { filled } });
  };
  return (
    <>
      <Button
        variant="outlined"
        disabled={last.isPending || begin.isPending}
        // What went wrong is told below.
        onClick={() => void start().catch(() => undefined)}
        sx={{ mt: 1 }}
      >
        Send the next version
      </Button>
      <Said error={last.error ?? begin.error} />
    </>
  );
}

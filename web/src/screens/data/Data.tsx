/** The Data step: what is wrong, then the columns by role; or the rows, all pairs, or one column's page. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { Change, Roles, Where } from "../../api/client";
import { useData, useLook } from "../../api/queries";
import { useTheCase } from "../../frame/CaseFrame";
import { BegunFrom } from "../../frame/BegunFrom";
import { useKeys } from "../../frame/keys";
import { Fetching, Said } from "../../parts/Said";
import { useUndo } from "../../parts/undo";
import { SERIF } from "../../theme";
import { plural } from "../../wording";
import { ColumnPage } from "./ColumnPage";
import { Columns } from "./Columns";
import { useDataEdits, type Edit } from "./edits";
import { EffectDialog } from "./EffectDialog";
import { HowRead } from "./HowRead";
import { Issues } from "./Issues";
import { Pairs } from "./Pairs";
import { moved, ofNoGround, tied, toggledProtected, type Role } from "./roles";
import { Rows } from "./Rows";

const VIEWS = [
  ["", "Columns"],
  ["rows", "Rows"],
  ["pairs", "All pairs"],
] as const;

export function Data() {
  const { theCase } = useTheCase();
  const data = useData(theCase.id);
  const shown = data.data;
  const look = useLook(theCase.id, shown?.revision);
  const { save, error, remaking, saving } = useDataEdits(theCase.id);
  const [address, setAddress] = useSearchParams();
  const [weighed, setWeighed] = useState<Change | null>(null);
  const editable = theCase.may.review && shown !== undefined && !shown.locked && !remaking;
  const { change, remember, undo, canUndo } = useUndo<Edit>(save);
  useKeys([{ keys: "u", does: "undo the last change of role or data", act: () => editable && undo() }]);

  if (data.isPending) return <Fetching what="the data" />;
  if (!shown)
    return (
      <Box sx={{ p: 3 }}>
        <Said error={data.error} />
      </Box>
    );

  const now: Edit = { roles: shown.roles, changes: shown.changes };
  const setRoles = (roles: Roles) => editable && roles !== shown.roles && change(now, { ...now, roles });
  const all = shown.columns.map((c) => c.name);
  const send = (names: string[], role: Role) =>
    setRoles(names.reduce((roles, name) => moved(roles, name, role, all), shown.roles));
  const protect = (names: string[]) =>
    setRoles(names.reduce((roles, name) => toggledProtected(roles, name), shown.roles));
  const makeChanges = (changes: Change[]) => {
    if (!editable) return;
    remember(now);
    save({ ...now, changes }, { keepRoles: false });
    setWeighed(null);
  };
  const seeRows = (where: Where) => setAddress({ view: "rows", where: JSON.stringify(where) });
  const view = address.get("view") ?? "";
  const column = address.get("column");
  const seen = look.data?.look ?? null;
  return (
    <Box sx={{ p: 3, height: view === "rows" ? "100%" : undefined, display: "flex", flexDirection: "column" }}>
      {view === "" && !column && <BegunFrom caseId={theCase.id} about="roles" revision={shown.revision} />}
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", mb: 1 }}>
        <Box component="nav" aria-label="Views of the data" sx={{ display: "flex", gap: 2 }}>
          {VIEWS.map(([key, words]) => {
            const here = !column && view === key;
            return (
              <Box
                key={key}
                component={Link}
                to={key ? `?view=${key}` : "?"}
                aria-current={here ? "page" : undefined}
                sx={{
                  textDecoration: "none",
                  fontWeight: here ? 600 : 450,
                  borderBottom: 2,
                  borderColor: here ? "primary.main" : "transparent",
                  minHeight: 26,
                }}
              >
                {words}
              </Box>
            );
          })}
        </Box>
        <Typography variant="body2" sx={{ color: "text.secondary" }}>
          {shown.locked && (
            <>
              The plan is locked, so roles and data are fixed
              {theCase.may.review && (
                <>
                  ; <Link to={`/cases/${theCase.id}/plan`}>a deviation</Link> opens them
                </>
              )}
              .
            </>
          )}
        </Typography>
        {theCase.may.review && !shown.locked && (
          <Button sx={{ ml: "auto" }} disabled={!canUndo || remaking} onClick={undo}>
            Undo
          </Button>
        )}
      </Box>
      <Said error={error} />
      {column ? (
        <ColumnPage
          caseId={theCase.id}
          revision={shown.revision}
          name={column}
          look={seen?.columns.find((one) => one.name === column)}
          roles={shown.roles}
          editable={editable}
          mayAsk={theCase.may.review}
          onRoles={setRoles}
          onWeigh={setWeighed}
          onRows={seeRows}
        />
      ) : view === "rows" ? (
        <Rows caseId={theCase.id} revision={shown.revision} />
      ) : view === "pairs" ? (
        <Pairs caseId={theCase.id} revision={shown.revision} target={shown.roles.target} />
      ) : (
        <>
          <Typography sx={{ fontFamily: SERIF, fontSize: "size.answer", lineHeight: 1.34, mb: 0.5 }}>
            {shown.problem ??
              `${plural(shown.n_rows, "row")} of ${plural(shown.columns.length, "column")}. ${wrongInAWord(seen?.issues?.length, look.data?.ready)}`}
          </Typography>
          <HowRead data={shown} editable={editable} onChanges={makeChanges} />
          {look.data?.fault && !shown.problem && <Typography sx={{ my: 1 }}>{look.data.fault}</Typography>}
          {seen && (
            <Issues
              issues={seen.issues}
              settled={!saving && !look.isPlaceholderData && look.data?.ready === true}
              notCollected={seen.not_collected}
              may={theCase.may.review && !shown.locked}
              editable={editable}
              onRows={seeRows}
              onRole={(name, role) => send([name], role)}
              onProtect={(name, how) => {
                const guarded = how.protect ? toggledProtected(shown.roles, name) : shown.roles;
                const column = shown.columns.find((one) => one.name === name);
                if (how.ground === "") setRoles(ofNoGround(guarded, name));
                else setRoles(how.ground !== null && column ? tied(guarded, column, how.ground) : guarded);
              }}
              onWeigh={setWeighed}
            />
          )}
          <Columns
            data={shown}
            look={seen}
            editable={editable}
            onSend={send}
            onProtect={protect}
            onGround={(column, ground) => setRoles(tied(shown.roles, column, ground))}
            onWeigh={setWeighed}
            onPositive={(positive) => setRoles({ ...shown.roles, positive })}
          />
        </>
      )}
      {weighed && (
        <EffectDialog
          caseId={theCase.id}
          changes={shown.changes}
          change={weighed}
          onDo={() => makeChanges([...shown.changes, weighed])}
          onClose={() => setWeighed(null)}
        />
      )}
    </Box>
  );
}

function wrongInAWord(issues: number | undefined, ready: boolean | undefined): string {
  if (ready === false) return "A worker is looking at them.";
  if (issues === undefined) return "";
  return issues === 0 ? "Nothing was found wrong with them." : `${plural(issues, "thing")} to look at first.`;
}

/** The columns under headings by role; one or many are sent to another heading by key, by menu or by dragging. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState, type MouseEvent } from "react";
import Button from "@mui/material/Button";
import type { Change, Schemas } from "../../api/client";
import { useTheCase } from "../../frame/CaseFrame";
import { useKeys } from "../../frame/keys";
import { ColumnLine, rolesOf } from "./ColumnLine";
import { reached } from "./choosing";
import { OF_A_CHOICE, roleOf, type Role } from "./roles";

interface ColumnsProps {
  data: Schemas["DataView"];
  look: Schemas["Look"] | null;
  editable: boolean;
  onSend: (names: string[], role: Role) => void;
  onProtect: (names: string[]) => void;
  onGround: (column: Schemas["ColumnView"], ground: string) => void;
  onPositive: (level: string) => void;
  onWeigh: (change: Change) => void;
}

export function Columns({ data, look, editable, onSend, onProtect, onGround, onPositive, onWeigh }: ColumnsProps) {
  const [chosen, setChosen] = useState<string[]>([]);
  const [focus, setFocus] = useState<string | null>(null);
  const [anchor, setAnchor] = useState<string | null>(null);
  const list = useRef<HTMLDivElement>(null);
  const { theCase } = useTheCase();
  const choice = theCase.outcome === "choice";
  const headings = arranged(data, choice);
  const order = headings.flatMap((h) => h.columns.map((c) => c.name));
  const reach = (name: string, extend: boolean) => {
    setFocus(name);
    setChosen(extend ? reached(order, anchor ?? name, name) : [name]);
    if (!extend) setAnchor(name);
  };
  const step = (by: number, extend: boolean) => {
    const next = order[Math.min(Math.max(order.indexOf(focus ?? "") + by, 0), order.length - 1)];
    if (next !== undefined) reach(next, extend);
  };
  const click = (name: string, event: MouseEvent) => {
    if (event.ctrlKey || event.metaKey) {
      setFocus(name);
      setAnchor(name);
      setChosen(chosen.includes(name) ? chosen.filter((n) => n !== name) : [...chosen, name]);
    } else reach(name, event.shiftKey);
  };
  useKeys([
    { keys: "ArrowDown", does: "next column; with Shift, as well", act: (event) => step(1, event.shiftKey) },
    { keys: "ArrowUp", does: "previous column; with Shift, as well", act: (event) => step(-1, event.shiftKey) },
    ...rolesOf(choice)
      .filter(([, , key]) => key)
      .map(([role, words, key]) => ({
        keys: key,
        does: `make the chosen columns ${words}`,
        act: () => chosen.length > 0 && onSend(role === "target" ? chosen.slice(-1) : chosen, role),
      })),
    { keys: "p", does: "protected on or off", act: () => chosen.length > 0 && onProtect(chosen) },
  ]);
  useEffect(() => {
    if (focus)
      list.current?.querySelector(`[data-column="${CSS.escape(focus)}"]`)?.scrollIntoView({ block: "nearest" });
  }, [focus]);
  const gappy = data.columns.filter((one) => chosen.includes(one.name) && one.missing > 0).map((one) => one.name);
  const looks = new Map((look?.columns ?? []).map((one) => [one.name, one]));
  return (
    <Box ref={list}>
      {editable && chosen.length > 1 && gappy.length > 0 && (
        <Box
          sx={{
            position: "sticky",
            top: 0,
            zIndex: 1,
            bgcolor: "background.default",
            display: "flex",
            gap: 1.5,
            alignItems: "center",
            py: 0.5,
          }}
        >
          {gappy.length} of {chosen.length} chosen columns have gaps.
          <Button variant="outlined" onClick={() => onWeigh({ kind: "drop_gaps", columns: gappy })}>
            Leave out rows with a gap there
          </Button>
        </Box>
      )}
      {headings.map((heading) => (
        <Box
          key={heading.title}
          component="section"
          aria-label={heading.title}
          onDragOver={(event) => editable && event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault();
            const names = JSON.parse(event.dataTransfer.getData("text/plain") || "[]") as string[];
            if (heading.drop === "protected") onProtect(names.filter((name) => !data.roles.protected?.includes(name)));
            else onSend(heading.drop === "target" ? names.slice(0, 1) : names, heading.drop);
          }}
        >
          <Typography
            variant="h3"
            sx={{
              mt: 1.5,
              pb: 0.5,
              borderBottom: 1,
              borderColor: "text.primary",
              display: "flex",
              gap: 1,
              alignItems: "baseline",
            }}
          >
            {heading.title}
            <Box
              component="span"
              sx={{ fontSize: "size.small", fontFamily: "inherit", color: "text.secondary", fontWeight: 400 }}
            >
              {heading.note}
            </Box>
          </Typography>
          {heading.columns.length === 0 && (
            <Typography variant="body2" sx={{ color: "text.secondary", py: 0.75 }}>
              {heading.empty}
            </Typography>
          )}
          {heading.columns.map((column) => (
            <ColumnLine
              key={column.name}
              column={column}
              look={looks.get(column.name)}
              roles={data.roles}
              choice={choice}
              chosen={chosen.includes(column.name)}
              inFocus={column.name === focus}
              editable={editable}
              dragged={chosen.includes(column.name) ? chosen : [column.name]}
              onClick={(event) => click(column.name, event)}
              onRole={(role) => onSend([column.name], role)}
              grounds={data.grounds}
              onProtect={() => onProtect([column.name])}
              onGround={(ground) => onGround(column, ground)}
              onPositive={onPositive}
            />
          ))}
        </Box>
      ))}
    </Box>
  );
}

interface Heading {
  title: string;
  note: string;
  drop: Role | "protected";
  columns: Schemas["ColumnView"][];
  empty: string;
}

function arranged(data: Schemas["DataView"], choice: boolean): Heading[] {
  const of = (test: (name: string) => boolean) => data.columns.filter((c) => test(c.name));
  const role = (name: string) => roleOf(data.roles, name);
  const guarded = (name: string) => data.roles.protected?.includes(name) ?? false;
  return [
    {
      title: "The target",
      note: "",
      drop: "target",
      columns: of((n) => role(n) === "target"),
      empty: "No target yet.",
    },
    ...(choice
      ? [
          {
            title: "What was chosen among",
            note: "a row an alternative of an occasion",
            drop: "alternative" as const,
            columns: of((n) => OF_A_CHOICE.includes(role(n)) && !guarded(n)),
            empty: "Name the occasion and the alternative of each row.",
          },
        ]
      : []),
    {
      title: "What is protected",
      note: "audited by group; learned from only where the role is feature",
      drop: "protected",
      columns: of((n) => guarded(n) && role(n) !== "target"),
      empty: "Nothing is marked: without it no group can be audited. Press p on a column, or drag it here.",
    },
    {
      title: "Features",
      note: "",
      drop: "feature",
      columns: of((n) => role(n) === "feature" && !guarded(n)),
      empty: "No column is left to learn from.",
    },
    {
      title: "The rest",
      note: "",
      drop: "ignore",
      columns: of(
        (n) => !["target", "feature"].includes(role(n)) && !(choice && OF_A_CHOICE.includes(role(n))) && !guarded(n),
      ),
      empty: "Every column has a part to play.",
    },
  ];
}

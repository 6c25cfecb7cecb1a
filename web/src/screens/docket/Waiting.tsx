/** In a sentence what waits for me: the first cases, then the first of what else does; the rest is in the inbox. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Fragment } from "react";
import { Link } from "react-router";
import { placeOf, type Inbox } from "../../api/inbox";
import { SERIF } from "../../theme";
import { nameOf } from "./nameOf";

const NUMBERS = ["", "One", "Two", "Three", "Four", "Five"];

export function Waiting({ inbox }: { inbox: Inbox }) {
  const { cases, waiting, others, total } = inbox;
  const left = total - waiting - others.length;
  return (
    <>
      <Typography
        component="h1"
        sx={{ fontFamily: SERIF, fontSize: "size.title", fontWeight: 470, lineHeight: 1.35, maxWidth: 860, mb: 1.5 }}
      >
        {waiting === 0 && (others.length ? "No case waits for you, but this does." : "Nothing waits for you.")}
        {waiting > 0 && `${NUMBERS[waiting] ?? waiting} ${waiting === 1 ? "case waits" : "cases wait"} for you: `}
        {cases.map((one, i) => (
          <Fragment key={one.case_id}>
            {i > 0 && (i === cases.length - 1 ? " and " : ", ")}
            <Box
              component={Link}
              to={placeOf(one)}
              sx={{ color: "primary.main", textDecorationThickness: 1, textUnderlineOffset: 4 }}
            >
              {one.model} {one.version}
            </Box>{" "}
            {one.waits}
          </Fragment>
        ))}
        {waiting > cases.length && `, and ${waiting - cases.length} more`}
        {waiting > 0 && "."}
      </Typography>
      {others.length > 0 && (
        <Box component="ul" aria-label="Waits for you" sx={{ listStyle: "none", p: 0, m: 0, mb: 2 }}>
          {others.map((one) => (
            <li key={`${one.case_id} ${one.about} ${one.act}`}>
              <Link to={placeOf(one)}>{nameOf(one)}</Link> {one.waits}.
            </li>
          ))}
          {left > 0 && (
            <li>
              <Link to="/inbox">{left} more</Link> in your inbox.
            </li>
          )}
        </Box>
      )}
    </>
  );
}

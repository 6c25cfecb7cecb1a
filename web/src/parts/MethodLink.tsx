/** From a figure's or a check's name to its page of methods. */
import Box from "@mui/material/Box";
import { useMemo } from "react";
import { Link } from "react-router";
import { measure, measureItself } from "../wording";
import { methodAddress } from "./methodAddress";
import { namedIn } from "./named";

export function MeasureLink({ name }: { name: string }) {
  const itself = measureItself(name);
  return itself ? <Link to={methodAddress("measure", itself)}>{measure(name)}</Link> : <>{measure(name)}</>;
}

/** A text whose measures lead to their pages, each with a dotted line below it. */
export function Named({ text }: { text: string }) {
  const stretches = useMemo(() => namedIn(text), [text]);
  return (
    <>
      {stretches.map((one, place) =>
        one.measure ? (
          <Box
            key={place}
            component={Link}
            to={methodAddress("measure", one.measure)}
            title={`How ${measure(one.measure)} is computed`}
            sx={{
              color: "inherit",
              textDecorationStyle: "dotted",
              textDecorationColor: "var(--mui-palette-brook-muted)",
              textUnderlineOffset: "0.18em",
            }}
          >
            {one.text}
          </Box>
        ) : (
          one.text
        ),
      )}
    </>
  );
}

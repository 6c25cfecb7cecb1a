/** To whom a comment is addressed: it waits in their inbox until they say that they have read it. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useCasePeople } from "../../api/findings";
import { Said } from "../../parts/Said";

interface AddresseesProps {
  caseId: number;
  /** Logins. */
  to: readonly string[];
  onChange: (to: string[]) => void;
}

export function Addressees({ caseId, to, onChange }: AddresseesProps) {
  const people = useCasePeople(caseId);
  if (!people.data || people.data.addressable.length === 0) return <Said error={people.error} />;
  return (
    <Box
      role="group"
      aria-label="To"
      sx={{ display: "flex", flexWrap: "wrap", columnGap: 2, rowGap: 0.5, fontSize: "size.text" }}
    >
      <Typography component="span" variant="body2" sx={{ color: "text.secondary" }}>
        To, where it should wait in somebody’s inbox:
      </Typography>
      {people.data.addressable.map(({ login, name }) => (
        <label key={login}>
          <input
            type="checkbox"
            checked={to.includes(login)}
            onChange={(event) => onChange(event.target.checked ? [...to, login] : to.filter((one) => one !== login))}
          />{" "}
          {name}
        </label>
      ))}
    </Box>
  );
}

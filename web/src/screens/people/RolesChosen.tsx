/** Which roles somebody has, each with what it may do beside it. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import { ROLES } from "./roles";

interface RolesChosenProps {
  roles: readonly string[];
  onChoose: (roles: string[]) => void;
}

export function RolesChosen({ roles, onChoose }: RolesChosenProps) {
  const toggle = (role: string) =>
    onChoose(roles.includes(role) ? roles.filter((one) => one !== role) : [...roles, role]);
  return (
    <Box role="group" aria-label="Roles" sx={{ display: "grid" }}>
      {ROLES.map(([role, may]) => (
        <FormControlLabel
          key={role}
          control={
            <Checkbox size="small" checked={roles.includes(role)} onChange={() => toggle(role)} sx={{ py: 0.25 }} />
          }
          label={
            <>
              {role}{" "}
              <Box component="span" sx={{ color: "text.secondary", fontSize: "size.small" }}>
                {may}
              </Box>
            </>
          }
        />
      ))}
    </Box>
  );
}

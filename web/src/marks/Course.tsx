/** The course: six steps on one line that falls at each, solid where done, dotted ahead. Small on the docket, and as navigation. */
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import { NavLink } from "react-router";

export const STEPS = ["Brief", "Data", "Plan", "Evidence", "Findings", "Decision"] as const;

export function SmallCourse({ step }: { step: number }) {
  const { vars } = useTheme();
  return (
    <svg width={102} height={22} role="img" aria-label={step >= 6 ? "all six steps done" : `${step} of six steps done`}>
      {STEPS.map((name, i) => (
        <path
          key={name}
          d={`M${2 + 16 * i} ${5 + 2.4 * i}h16${i < 5 ? "v2.4" : ""}`}
          fill="none"
          stroke={vars?.palette.primary.main}
          strokeWidth={2}
          {...(i < step ? {} : { strokeDasharray: "1 4", strokeLinecap: "round" as const })}
        />
      ))}
    </svg>
  );
}

interface CourseNavProps {
  base: string;
  step: number;
  remarks: Partial<Record<string, string>>;
  /** On one line, once the page is scrolled. */
  small: boolean;
}

export function CourseNav({ base, step, remarks, small }: CourseNavProps) {
  const fall = small ? 1 : 5;
  return (
    <Box
      component="nav"
      aria-label="Course of the case"
      sx={{
        display: "grid",
        gridTemplateColumns: "repeat(6, 1fr)",
        px: 3,
        pt: small ? 0.25 : 0.5,
        flex: small ? 1 : "none",
      }}
    >
      {STEPS.map((name, i) => (
        <Box
          key={name}
          sx={{
            pt: `${fall * i}px`,
            height: small ? 38 : 58,
            minWidth: 0,
            fontSize: small ? "size.text" : undefined,
            overflow: "hidden",
          }}
        >
          <NavLink
            to={`${base}/${name.toLowerCase()}`}
            style={{ textDecoration: "none", color: "inherit", display: "block" }}
          >
            {({ isActive }) => (
              <Box
                sx={{
                  borderBottom: 2.4,
                  borderBottomStyle: i < step ? "solid" : "dotted",
                  borderBottomColor: "primary.main",
                  borderLeft: i > 0 ? 2.4 : 0,
                  borderLeftColor: "transparent",
                  pl: i > 0 ? 1 : 0,
                  pb: 0.4,
                  height: 27,
                  whiteSpace: "nowrap",
                  position: "relative",
                  fontWeight: isActive ? 650 : 400,
                  color: isActive || i < step ? "text.primary" : "text.secondary",
                  "&::before":
                    i > 0
                      ? {
                          content: '""',
                          position: "absolute",
                          left: -2.4,
                          bottom: -2.4,
                          height: fall + 2,
                          borderLeft: 2.4,
                          borderLeftStyle: i < step ? "solid" : "dotted",
                          borderColor: "primary.main",
                        }
                      : {},
                  "&::after": isActive
                    ? {
                        content: '""',
                        position: "absolute",
                        right: 12,
                        bottom: -6,
                        width: 10,
                        height: 10,
                        borderRadius: "50%",
                        bgcolor: "primary.main",
                      }
                    : {},
                }}
              >
                {name}{" "}
                {!small && (
                  <Box component="span" sx={{ fontSize: "size.note", color: "brook.muted", fontWeight: 400 }}>
                    {remarks[name]}
                  </Box>
                )}
              </Box>
            )}
          </NavLink>
        </Box>
      ))}
    </Box>
  );
}

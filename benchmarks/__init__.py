"""Speed, as ratios in one run, against what a user would otherwise write; and coverage by simulation."""

"""What the checks of groups share: protected groups, criteria, the comparisons of groups and their words."""

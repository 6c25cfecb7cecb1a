"""What every station stands on: hashes and seeds, the environment, errors, progress, numbers in words."""

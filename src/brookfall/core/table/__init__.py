"""Tables: read from files, typed, described, fingerprinted."""

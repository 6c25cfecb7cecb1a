"""What the data look like before anything is tested: how columns hang together, what is wrong, and where."""

"""The families of models that can be refitted: a file a kind, each with its settings and its builder."""

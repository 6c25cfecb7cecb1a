"""The checks, a folder a question. A check asks for fits and turns their readings into an exhibit."""

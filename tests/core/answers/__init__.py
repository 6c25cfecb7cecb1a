"""Every check's answer in every situation, as docs/answers.md shows them; ``python -m tests.core.answers`` writes it."""

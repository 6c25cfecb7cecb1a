"""The use cases: submit, take, plan, run, find, propose, countersign. Knows no HTTP and no queue."""

"""The job itself: pure functions from files to exhibits. No web, no database, no queue."""

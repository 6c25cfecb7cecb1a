"""Reading what strangers send, in a disposable child process with limits; nothing here needs a web or a database."""

"""What the application does, in verbs. Joins core, bench and store; knows no HTTP."""

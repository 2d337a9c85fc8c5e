"""The computation: pure functions of arrays. No files of the user's, clock, network, database or framework in here."""

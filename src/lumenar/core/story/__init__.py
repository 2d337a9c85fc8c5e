"""What an editor writes to a report, and how it goes together with what the figures say by themselves."""

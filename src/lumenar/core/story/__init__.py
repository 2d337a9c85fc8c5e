"""What an editor writes in a report, and how it is combined with the sentences that Lumenar makes."""

"""Long work in workers and short work in the quick process: where core meets store."""

"""What leaves: export packs, collections and projects."""

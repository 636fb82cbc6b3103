"""From files to pictures with records: reading sources, imports, tiles, copies, archives of projects."""

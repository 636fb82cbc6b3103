"""Starting runs, training them, and judging what they kept."""

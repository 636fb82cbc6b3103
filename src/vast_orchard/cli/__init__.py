"""The command orchard."""

"""Plans of many runs as they are answered within a request: what is asked, what it costs, how it stands."""

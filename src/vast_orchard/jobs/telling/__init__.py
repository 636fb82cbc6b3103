"""Word to the outside: requests to addresses that a person named, and what is told there."""

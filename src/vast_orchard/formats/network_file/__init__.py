"""Networks from outside: opened with care, read into layers of the core, and held against an independent runtime."""

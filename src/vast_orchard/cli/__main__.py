"""`python -m vast_orchard.cli`: how the supervisor starts its children, whatever is on PATH."""

from vast_orchard.cli.app import main

if __name__ == "__main__":
    main()

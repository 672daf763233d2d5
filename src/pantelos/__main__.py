"""`python -m pantelos` is the command `pantelos`."""

from pantelos.cli.main import main

if __name__ == "__main__":
    main()

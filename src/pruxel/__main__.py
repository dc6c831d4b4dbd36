"""`python -m pruxel`."""

from pruxel.cli.main import main

if __name__ == "__main__":  # the server's own processes import this module again
    main()

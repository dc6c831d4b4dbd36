"""`python -m pruxel`."""

from pruxel.cli.main import main

main()

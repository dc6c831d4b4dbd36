"""Names, files and folders on disk, met with care."""

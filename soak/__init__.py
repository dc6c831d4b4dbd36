"""Mixed use with random kills of every process and full disks, and a check of every promise at the end."""

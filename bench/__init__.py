"""Speed, measured side by side in one run and printed as ratios. `python -m bench`."""

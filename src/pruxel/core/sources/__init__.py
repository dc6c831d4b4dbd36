"""Where files come from: folders, packs and single files, stacked so that higher ones win."""

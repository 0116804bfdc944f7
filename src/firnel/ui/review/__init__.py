"""The Review view: find a batch, see what happened, correct its marks, lay two over each other."""

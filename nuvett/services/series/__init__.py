"""Series and their frames: arriving, grouped by set-up, evened, taken out and put back."""

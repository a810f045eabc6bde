"""What the four demos come to, held while walls move; `python -m tests.goldens` records it anew."""

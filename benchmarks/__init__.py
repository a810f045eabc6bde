"""Speed and memory against what the project promises; run by `./run bench`, never inside a test."""

"""What Collage costs, as ratios to a baseline measured in the same run. `make bench` prints them."""

"""Place: order of hand placing, reference points, the machine's programme."""

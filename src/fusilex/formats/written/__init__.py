"""What Fusilex writes: lists as CSV, programmes as CSV and G-code."""

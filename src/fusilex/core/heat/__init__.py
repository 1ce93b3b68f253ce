"""The thermal twin: what a board feels in an oven, on a plate, under hot air; fitted to what was logged."""

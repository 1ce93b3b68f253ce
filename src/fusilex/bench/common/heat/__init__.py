"""Heat at more than one station: limits, hot air in held steps, logs of ovens."""

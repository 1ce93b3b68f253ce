"""The science of the bench: pure functions over arrays and frozen values. No input, output, clock or screen."""

"""How the bench says no."""


class Refused(Exception):
    """What was asked makes no sense now; the sentence says why and what to do first."""

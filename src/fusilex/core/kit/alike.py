"""Texts that a tired eye takes for one another."""

from __future__ import annotations


def one_off(a: str, b: str) -> bool:
    """True for texts that differ in one character, or in one that is there or not; spaces do not count."""
    a, b = a.replace(" ", ""), b.replace(" ", "")
    if a == b:
        return False
    if len(a) == len(b):
        return sum(x != y for x, y in zip(a, b, strict=True)) == 1
    short, long = sorted((a, b), key=len)
    return len(long) - len(short) == 1 and any(long[:i] + long[i + 1 :] == short for i in range(len(long)))

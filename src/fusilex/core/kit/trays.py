"""Where each bin stands: the user's trays filled row by row in placing order, a spare bin kept free in the last one."""

from __future__ import annotations

from msgspec import Struct


class TrayPlan(Struct, frozen=True):
    """`bins` bins and one spare in trays of rows × columns compartments."""

    rows: int
    columns: int
    bins: int

    @property
    def per_tray(self) -> int:
        return self.rows * self.columns

    @property
    def trays(self) -> int:
        return max(1, -(-(self.bins + 1) // self.per_tray))

    def place(self, index: int) -> tuple[int, int, int]:
        """Tray, row and column of a bin, all from 0; `index` = `bins` is the spare. Raises IndexError beyond it."""
        if not 0 <= index <= self.bins:
            raise IndexError(index)
        tray, rest = divmod(index, self.per_tray)
        return tray, rest // self.columns, rest % self.columns

    def label(self, index: int) -> str:
        """What stands on the compartment: tray 1's third in the second row is ``1B3``."""
        tray, row, column = self.place(index)
        return f"{tray + 1}{_letters(row)}{column + 1}"


def _letters(row: int) -> str:
    return chr(ord("A") + row) if row < 26 else _letters(row // 26 - 1) + chr(ord("A") + row % 26)

"""Numbers as people read them."""

from __future__ import annotations


def counted(count: int, one: str, many: str = "") -> str:
    """`1 problem`, `2 problems`, `1,204 files`; `many` where the plural takes more than an s."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def hours(seconds: float) -> str:
    """A time of more than a minute to the minute, and of more than a day to the hour: `45 min`, `1 h 45 min`, `2 days 3 h`."""
    minutes = round(seconds / 60)
    if minutes < 60:
        return f"{minutes} min"
    if minutes < 24 * 60:
        return f"{minutes // 60} h {minutes % 60:02d} min"
    days, rest = divmod(round(seconds / 3600), 24)
    return f"{counted(days, 'day')} {rest} h" if days < 7 else counted(days, "day")

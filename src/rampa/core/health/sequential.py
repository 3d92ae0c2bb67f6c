"""Bounds on a rate that hold however often one looks.

For Bernoulli observations with the rate p, the mixture of likelihood ratios with a beta(a, b) prior over the alternative,

    M_n(p) = B(a + s, b + n - s) / B(a, b) / (p^s (1 - p)^(n - s)),      s of n observed,

is a martingale with mean 1 under p, so that it ever reaches 1 / error with a probability of at most `error` (Ville, 1939).
The set of all p with M_n(p) < 1 / error is therefore a confidence sequence: it holds the true rate at all times at once,
with a probability of at least 1 - error (Robbins, "Statistical methods related to the law of the iterated logarithm", Annals
of Mathematical Statistics 41, 1970; Howard, Ramdas, McAuliffe and Sekhon, "Time-uniform, nonparametric, nonasymptotic
confidence sequences", Annals of Statistics 49, 2021). Stopping when one likes it does not harm it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

PRIOR = 0.5
"""Of both parameters: Jeffreys' prior, which favours no rate."""
STEPS = 40
"""Of halving: to 2^-40 of the way."""


@dataclass(frozen=True, slots=True)
class Count:
    """So many of so many went wrong."""

    bad: int = 0
    total: int = 0

    @property
    def rate(self) -> float:
        return self.bad / self.total if self.total else 0.0

    def __add__(self, other: Count) -> Count:
        return Count(self.bad + other.bad, self.total + other.total)


@dataclass(frozen=True, slots=True)
class Bounds:
    low: float
    high: float


def bounds(count: Count, error: float) -> Bounds:
    """The rates that are not ruled out, at an error of `error` over all looks together."""
    if not count.total:
        return Bounds(0.0, 1.0)
    limit = -math.log(error)
    middle = count.rate
    low = 0.0 if not count.bad else _edge(count, limit, 0.0, middle)
    high = 1.0 if count.bad == count.total else _edge(count, limit, 1.0, middle)
    return Bounds(low, high)


def _edge(count: Count, limit: float, outside: float, inside: float) -> float:
    """Between a rate that is ruled out and one that is not; the ratio falls on the way to the observed rate."""
    mixed = _mixed(count)
    for _ in range(STEPS):
        middle = (outside + inside) / 2
        if mixed - _likelihood(count, middle) >= limit:
            outside = middle
        else:
            inside = middle
    return outside


def log_ratio(count: Count, rate: float) -> float:
    """The logarithm of M_n(p)."""
    return _mixed(count) - _likelihood(count, rate)


def _mixed(count: Count) -> float:
    """log(B(a + s, b + n - s) / B(a, b))"""
    good = count.total - count.bad
    return _log_beta(PRIOR + count.bad, PRIOR + good) - _log_beta(PRIOR, PRIOR)


def _likelihood(count: Count, rate: float) -> float:
    """log(p^s (1 - p)^(n - s))"""
    out = 0.0
    for seen, chance in ((count.bad, rate), (count.total - count.bad, 1 - rate)):
        if seen:
            out += seen * math.log(chance) if chance > 0 else -math.inf
    return out


def _log_beta(a: float, b: float) -> float:
    return math.lgamma(a) + math.lgamma(b) - math.lgamma(a + b)

"""Whether something goes wrong more often with one build than with another, by a test that can be looked at at any time.

Time is cut into spans that are fixed beforehand. Within a span, given how many were observed of each build and how many of
all went wrong, the number that went wrong with the new build is hypergeometric where both are as good, and Fisher's
noncentral hypergeometric with the odds ratio r where the new one's odds are r times as high (Fisher, "The logic of inductive
inference", Journal of the Royal Statistical Society 98, 1935; McCullagh and Nelder, "Generalized Linear Models", 2nd
edition, section 7.3.2). So nothing has to be known of the rate itself, and it may change from hour to hour. The product over
spans of the ratios of both likelihoods, mixed over odds ratios that are fixed beforehand,

    E = sum_k w_k prod_spans P(bad of new | r_k) / P(bad of new | 1),

is a martingale with mean 1 where both builds are as good, so that it ever reaches 1 / error with a probability of at most
`error` (Ville, 1939). A mean of such products is one, too, however they depend on each other (Vovk and Wang, "E-values:
calibration, combination and applications", Annals of Statistics 49, 2021): that is how the first, second and third session
of the same devices come together.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from rampa.core.health.sequential import Count

RATIOS = (1.5, 2.0, 3.0, 5.0, 10.0, 30.0, 100.0)
"""Odds ratios that are looked for, each with the same weight."""


@dataclass(frozen=True, slots=True)
class Span:
    """What was observed of both builds in one span of time."""

    new: Count
    old: Count


def log_evidence(turns: Sequence[Iterable[Span]]) -> float:
    """log E, its mean over independent courses of spans; 0 where nothing was observed."""
    courses = [_log_mixture(spans) for spans in turns]
    return _log_mean(courses) if courses else 0.0


def _log_mixture(spans: Iterable[Span]) -> float:
    sums = [0.0] * len(RATIOS)
    for span in spans:
        for k, value in enumerate(_log_ratios(span.new, span.old)):
            sums[k] += value
    return _log_mean(sums)


def _log_ratios(new: Count, old: Count) -> list[float]:
    """For each odds ratio, the logarithm of how much better it explains the span than 1 does."""
    bad = new.bad + old.bad
    least, most = max(0, bad - old.total), min(bad, new.total)
    if least == most:
        # Nothing went wrong, or only one build was observed: the span says nothing.
        return [0.0] * len(RATIOS)
    weights = [_log_choose(new.total, k) + _log_choose(old.total, bad - k) for k in range(least, most + 1)]
    alike = _log_sum(weights)
    out = []
    for ratio in RATIOS:
        slope = math.log(ratio)
        scale = _log_sum([w + k * slope for k, w in enumerate(weights, least)])
        out.append(new.bad * slope - scale + alike)
    return out


def _log_choose(total: int, some: int) -> float:
    return math.lgamma(total + 1) - math.lgamma(some + 1) - math.lgamma(total - some + 1)


def _log_sum(logs: Sequence[float]) -> float:
    top = max(logs)
    return top + math.log(sum(math.exp(x - top) for x in logs))


def _log_mean(logs: Sequence[float]) -> float:
    return _log_sum(logs) - math.log(len(logs))

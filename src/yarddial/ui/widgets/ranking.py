"""Ranking of things by the words that a person types: stems, likeness of letters, and how telling a word is.

Stems by the Snowball algorithm for English, likeness by the normalized edit similarity; a word is the more telling the
fewer things have it (inverse document frequency, Sparck Jones 1972).
"""

import math
import re
from collections import Counter
from collections.abc import Sequence
from functools import lru_cache
from typing import Protocol

# Words without information about the target.
STOP_WORDS = frozenset(
    [
        "a",
        "an",
        "and",
        "are",
        "be",
        "by",
        "can",
        "do",
        "does",
        "for",
        "from",
        "go",
        "how",
        "i",
        "in",
        "is",
        "it",
        "me",
        "my",
        "of",
        "on",
        "or",
        "the",
        "this",
        "to",
        "what",
        "where",
        "which",
        "who",
        "will",
        "with",
    ]
)
# Likeness from which a word is taken for a mistyped one, and what that counts.
MIN_LIKENESS, MISTYPED_SHARE = 0.8, 0.9
# A beginning of a word counts this much, and more the more of the word it is.
MIN_BEGINNING_SHARE, MAX_BEGINNING_SHARE = 0.6, 0.95
# What a match among a thing's other words counts, beside one in its name.
ALSO_SHARE = 0.92
# Share of the words typed, by how telling they are, that a thing must have.
MIN_SCORE = 0.25
# Part of the score for how much of the name was typed.
NAME_SHARE = 0.08
# What one rank costs.
RANK_COST = 0.04


class Named(Protocol):
    """What can be found: its name, its kind, and other words for it."""

    @property
    def name(self) -> str:
        """Name shown."""
        ...

    @property
    def kind(self) -> str:
        """Kind shown beside the name."""
        ...

    @property
    def also(self) -> str:
        """Other words that people use for it."""
        ...

    @property
    def rank(self) -> int:
        """0 for what is wanted most often."""
        ...


@lru_cache(maxsize=8192)
def _stem(word: str) -> str:
    import snowballstemmer

    stem: str = snowballstemmer.stemmer("english").stemWord(word)
    return stem


@lru_cache(maxsize=8192)
def words_of(text: str) -> tuple[str, ...]:
    """Stems of a text's words, including the halves of hyphenated ones; a lone stop word counts."""
    raw = [word.strip(".'") for word in re.split(r"[\s,;:()/·?!+=→–]+", text.lower())]
    words = [word for word in raw if word]
    words += [half for word in words if "-" in word for half in word.split("-") if half]
    telling = [word for word in words if word not in STOP_WORDS] or words
    return tuple(_stem(word) for word in telling)


def scores(things: Sequence[Named], text: str) -> list[float]:
    """Score of each thing, 0 to about 1, in the order of the things."""
    typed = words_of(text)
    if not typed:
        return [1.0] * len(things)
    names = [words_of(thing.name) for thing in things]
    others = [words_of(f"{thing.kind} {thing.also}") for thing in things]
    counts = Counter(word for name, other in zip(names, others, strict=True) for word in {*name, *other})
    likeness = {word: {own: _likeness(word, own) for own in counts} for word in set(typed)}
    weights = {word: _weight(word, likeness[word], counts, len(things)) for word in set(typed)}
    total = sum(weights[word] for word in typed)
    if not total:
        return [0.0] * len(things)

    def score(name: tuple[str, ...], other: tuple[str, ...]) -> float:
        gained = 0.0
        for word in typed:
            like = likeness[word]
            in_name = max((like[own] for own in name), default=0.0)
            in_other = max((like[own] for own in other), default=0.0)
            gained += weights[word] * max(in_name, ALSO_SHARE * in_other)
        covered = sum(max(likeness[word][own] for word in set(typed)) for own in name) / max(len(name), 1)
        return (1 - NAME_SHARE) * gained / total + NAME_SHARE * covered

    return [score(name, other) for name, other in zip(names, others, strict=True)]


def _likeness(typed: str, own: str) -> float:
    """1 for the same stem, less for a beginning or a typing error, 0 for another word."""
    from rapidfuzz.distance import OSA

    if typed == own:
        return 1.0
    if own.startswith(typed) and len(typed) > 1:
        return MIN_BEGINNING_SHARE + (MAX_BEGINNING_SHARE - MIN_BEGINNING_SHARE) * len(typed) / len(own)
    if min(len(typed), len(own)) < 4:
        return 0.0
    like = OSA.normalized_similarity(typed, own, score_cutoff=MIN_LIKENESS)
    return like * MISTYPED_SHARE


def _weight(word: str, like: dict[str, float], counts: Counter[str], number: int) -> float:
    """How telling a word is; one that nothing has tells nothing."""
    having = sum(count for own, count in counts.items() if like[own] > 0)
    if not having:
        return 0.0
    return math.log((number + 1) / (having + 1)) + 0.3


def ranked(things: Sequence[Named], text: str) -> list[int]:
    """Indices of the things that match, best first; earlier things win ties."""
    gained = scores(things, text)
    able = [i for i, score in enumerate(gained) if score >= MIN_SCORE]
    return sorted(able, key=lambda i: (-round(gained[i] - RANK_COST * things[i].rank, 3), i))


def nearest(things: Sequence[Named], text: str, count: int = 3) -> list[int]:
    """Indices of the things whose names look most like a text that matches nothing."""
    from rapidfuzz import fuzz, process

    names = [f"{thing.name} {thing.also}".lower() for thing in things]
    likest = process.extract(text.lower(), names, scorer=fuzz.WRatio, limit=count)
    return [index for _, _, index in likest]

"""What goes first, and no more than the link carries: on links made here, by plain arithmetic."""

from collections import deque

import pytest

from yarddial.distance.thin_link import MAX_QUEUED, ThinLink


def run(carries: float, turn_s: float, seconds_s: float, every_s: float = 0.05) -> tuple[float, float, int]:
    """Share of the sound that arrives, how late at most in the second half, and answers told.

    carries : bytes a second; each time a thousand of sound and 200 of a picture are made.
    """
    link, now_s, free_s = ThinLink(), 0.0, 0.0
    on_way: deque[tuple[float, str, float, int]] = deque()
    got = arrived = put = told = 0
    late_s, next_s, says_s = 0.0, 0.0, 0.0
    says: deque[tuple[float, int]] = deque()
    while now_s < seconds_s:
        now_s += 0.005
        if now_s >= next_s:
            next_s += every_s
            put += 1
            link.put("sound", now_s, 1_000)
            link.put("picture", now_s, 200)
            if put % 20 == 0:
                link.put("answer", now_s, 100)
        while (leaving := link.next_out(now_s)) is not None:
            free_s = max(free_s, now_s) + leaving.size / carries
            on_way.append((free_s + turn_s / 2, leaving.kind, leaving.message, leaving.size))
        while on_way and on_way[0][0] <= now_s:
            at_s, kind, made_s, size = on_way.popleft()
            got += size
            arrived += kind == "sound"
            told += kind == "answer"
            if kind == "sound" and now_s > seconds_s / 2:
                late_s = max(late_s, at_s - made_s)
        if now_s >= says_s:
            says_s += 0.1
            says.append((now_s + turn_s / 2, got))
        while says and says[0][0] <= now_s:
            link.came(now_s, says.popleft()[1], turn_s)
        assert link.waits <= sum(MAX_QUEUED.values())
    return arrived / put, late_s, told


@pytest.mark.parametrize("turn_s", [0.01, 0.1, 0.4])
def test_where_there_is_room_all_of_the_sound_comes_soon(turn_s: float) -> None:
    share, late_s, told = run(40_000.0, turn_s, 30.0)
    assert share > 0.95
    assert late_s < turn_s / 2 + 0.15
    assert told >= 28


@pytest.mark.parametrize("turn_s", [0.05, 0.4])
def test_where_there_is_hardly_room_nothing_heaps_up_on_the_way(turn_s: float) -> None:
    # 20,000 bytes of sound and 4,000 of picture a second over a link of 22,000: the picture gives way.
    share, late_s, told = run(22_000.0, turn_s, 60.0)
    assert share > 0.93
    assert late_s < turn_s + 1.2
    assert told >= 50


def test_where_there_is_too_little_answers_come_all_the_same() -> None:
    share, _, told = run(8_000.0, 0.1, 60.0)
    assert 0.2 < share < 0.5
    assert told >= 45


def test_what_the_other_side_cannot_have_had_is_not_believed() -> None:
    link = ThinLink()
    link.put("sound", 1, 100)
    assert link.next_out(0.0) is not None
    link.came(0.5, 10**9, 0.1)
    link.came(0.6, -5, 0.1)
    assert link.may_be_out > 0
    assert link.bytes_a_second < 10**6


def test_a_file_fills_what_is_left_and_keeps_neither_sound_nor_answers_waiting() -> None:
    """20 kB/s are carried, sound takes 8: of what goes in ten seconds all of the sound does, and a file the rest."""
    link, now_s, free_s, sent = ThinLink(), 0.0, 0.0, {"sound": 0, "file": 0, "picture": 0}
    on_way: deque[tuple[float, int]] = deque()
    got, worst, next_s = 0, 0.0, 0.0
    while now_s < 20.0:
        now_s += 0.005
        if now_s >= next_s:
            next_s += 0.1
            link.put("sound", now_s, 800)
            link.put("picture", now_s, 100)
        if not link.has("file"):
            link.put("file", now_s, 2_000)
        while (leaving := link.next_out(now_s)) is not None:
            free_s = max(free_s, now_s) + leaving.size / 20_000
            on_way.append((free_s + 0.02, leaving.size))
            if now_s > 10.0:
                sent[leaving.kind] += leaving.size
                worst = max(worst, free_s - leaving.message) if leaving.kind == "sound" else worst
            if not link.has("file"):
                link.put("file", now_s, 2_000)
        while on_way and on_way[0][0] <= now_s:
            got += on_way.popleft()[1]
        if int(now_s * 200) % 20 == 0:
            link.came(now_s, got, 0.04)
    assert sent["sound"] == pytest.approx(10 * 8_000, rel=0.02)
    assert sent["picture"] == pytest.approx(10 * 1_000, rel=0.05)
    # What is left is 11 kB/s; it takes most of it.
    assert sent["file"] > 10 * 8_000
    # One piece of the file and what may be on the way stand before a block of sound, no more: under half a second.
    assert worst < 0.5

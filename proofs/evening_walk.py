"""Evenings of random actions in the real window: do the places contradict each other, and is a correction lost?"""

import sys
import tempfile
from pathlib import Path

ACTIONS, SEEDS = 100, 6


def prove() -> bool:
    """Counts disagreements of what is shown, lost corrections, deadlines that slide, and marks that never end."""
    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    from evening import Evening
    from yarddial.ui.start import dressed_application

    # Held until the end: Qt needs it.
    application = dressed_application("day", 1.0)
    wrong = 0
    for seed in range(SEEDS):
        with tempfile.TemporaryDirectory() as folder:
            evening = Evening(Path(folder), 100 + seed)
            for _ in range(ACTIONS):
                evening.act()
            evening.close()
        seen = ", ".join(f"{count} {what}" for what, count in sorted(evening.seen.items()))
        print(f"evening {seed + 1}: {ACTIONS} actions, {seen}, {len(evening.wrong)} wrong")
        for sentence in evening.wrong[:5]:
            print(f"  {sentence}")
        wrong += len(evening.wrong)
    print(f"{SEEDS * ACTIONS} actions, {wrong} disagreements, lost corrections and endless marks")
    application.processEvents()
    return not wrong

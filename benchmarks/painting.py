"""Listen's chart at 1280x800: a new column and three lines of 2,048 points a frame; and the same drawn by pyqtgraph."""

import time

import numpy as np

ROWS, FRAMES = 2_048, 150


def frames_a_second() -> tuple[float, float]:
    """Ours, then pyqtgraph's; medians of five turns each, taken in turn."""
    import pyqtgraph

    from yarddial.ui.places.listen.chart import ListenChart
    from yarddial.ui.start import dressed_application

    app = dressed_application("day", 1.0)
    chance = np.random.default_rng(0)
    columns = (chance.standard_normal((1_200, ROWS)) * 4 - 100).astype(np.float32)
    ours = ListenChart()
    ours.resize(1280, 800)
    ours.show()
    ours.begin(1e4, 0.1, ROWS)
    ours.add(columns)
    theirs = pyqtgraph.GraphicsLayoutWidget()
    theirs.resize(1280, 800)
    picture = pyqtgraph.ImageItem(columns, autoDownsample=True, levels=(-110, -80))
    theirs.addPlot().addItem(picture)
    beside = theirs.addPlot()
    curves = [beside.plot(columns[0], np.arange(ROWS)) for _ in range(3)]
    theirs.show()
    app.processEvents()
    scrolled = columns.copy()

    def our_frame(number: int) -> None:
        ours.add(columns[number : number + 1])
        ours.repaint()

    def their_frame(number: int) -> None:
        scrolled[:-1] = scrolled[1:]
        scrolled[-1] = columns[number]
        picture.setImage(scrolled, autoLevels=False)
        for curve in curves:
            curve.setData(columns[number], np.arange(ROWS))
        theirs.viewport().repaint()

    speeds: tuple[list[float], list[float]] = ([], [])
    for _ in range(5):
        for frame, found in ((our_frame, speeds[0]), (their_frame, speeds[1])):
            begun_s = time.perf_counter()
            for number in range(FRAMES):
                frame(number)
            found.append(FRAMES / (time.perf_counter() - begun_s))
    return float(np.median(speeds[0])), float(np.median(speeds[1]))

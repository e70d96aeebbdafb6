"""Allocations of the Radio Regulations, article 5, as transcribed from its table: (kind, low, high in MHz, regions).

Amateur to 10.5 GHz, broadcasting from long wave to 698 MHz, aeronautical mobile and radionavigation of the kinds that
people listen to. Written down without looking at the program's own table.
"""

ALLOCATIONS: tuple[tuple[str, float, float, tuple[int, ...]], ...] = (
    ("amateur", 0.1357, 0.1378, (1, 2, 3)), ("amateur", 0.472, 0.479, (1, 2, 3)), ("amateur", 1.81, 2.0, (1,)),
    ("amateur", 1.8, 2.0, (2, 3)), ("amateur", 3.5, 3.8, (1,)), ("amateur", 3.5, 4.0, (2,)),
    ("amateur", 3.5, 3.9, (3,)), ("amateur", 5.3515, 5.3665, (1, 2, 3)), ("amateur", 7.0, 7.2, (1, 3)),
    ("amateur", 7.0, 7.3, (2,)), ("amateur", 10.1, 10.15, (1, 2, 3)), ("amateur", 14.0, 14.35, (1, 2, 3)),
    ("amateur", 18.068, 18.168, (1, 2, 3)), ("amateur", 21.0, 21.45, (1, 2, 3)), ("amateur", 24.89, 24.99, (1, 2, 3)),
    ("amateur", 28.0, 29.7, (1, 2, 3)), ("amateur", 50.0, 52.0, (1,)), ("amateur", 50.0, 54.0, (2, 3)),
    ("amateur", 144.0, 146.0, (1,)), ("amateur", 144.0, 148.0, (2, 3)), ("amateur", 222.0, 225.0, (2,)),
    ("amateur", 430.0, 440.0, (1, 3)), ("amateur", 430.0, 440.0, (2,)), ("amateur", 902.0, 928.0, (2,)),
    ("amateur", 1240.0, 1300.0, (1, 2, 3)), ("amateur", 2300.0, 2450.0, (1, 2, 3)), ("amateur", 3300.0, 3500.0, (2, 3)),
    ("amateur", 5650.0, 5850.0, (1, 2, 3)), ("amateur", 10000.0, 10500.0, (1, 2, 3)),
    ("broadcast", 0.1485, 0.2835, (1,)), ("broadcast", 0.5265, 1.6065, (1, 3)), ("broadcast", 0.535, 1.705, (2,)),
    ("broadcast", 2.3, 2.495, (1, 2, 3)), ("broadcast", 3.2, 3.4, (1, 2, 3)), ("broadcast", 3.95, 4.0, (1, 3)),
    ("broadcast", 4.75, 4.995, (1, 2, 3)), ("broadcast", 5.005, 5.06, (1, 2, 3)), ("broadcast", 5.9, 6.2, (1, 2, 3)),
    ("broadcast", 7.2, 7.45, (1, 3)), ("broadcast", 7.3, 7.4, (2,)), ("broadcast", 9.4, 9.9, (1, 2, 3)),
    ("broadcast", 11.6, 12.1, (1, 2, 3)), ("broadcast", 13.57, 13.87, (1, 2, 3)), ("broadcast", 15.1, 15.8, (1, 2, 3)),
    ("broadcast", 17.48, 17.9, (1, 2, 3)), ("broadcast", 18.9, 19.02, (1, 2, 3)), ("broadcast", 21.45, 21.85, (1, 2, 3)),
    ("broadcast", 25.67, 26.1, (1, 2, 3)), ("broadcast", 54.0, 72.0, (2,)), ("broadcast", 76.0, 88.0, (2,)),
    ("broadcast", 87.5, 108.0, (1, 3)), ("broadcast", 88.0, 108.0, (2,)), ("broadcast", 174.0, 230.0, (1, 3)),
    ("broadcast", 174.0, 216.0, (2,)), ("broadcast", 470.0, 694.0, (1, 2, 3)),
    ("aeronautical", 0.2835, 0.4055, (1, 2, 3)), ("aeronautical", 2.85, 3.155, (1, 2, 3)), ("aeronautical", 3.4, 3.5, (1, 2, 3)),
    ("aeronautical", 4.65, 4.75, (1, 2, 3)), ("aeronautical", 5.48, 5.73, (1, 2, 3)), ("aeronautical", 6.525, 6.765, (1, 2, 3)),
    ("aeronautical", 8.815, 9.04, (1, 2, 3)), ("aeronautical", 10.005, 10.1, (1, 2, 3)), ("aeronautical", 11.175, 11.4, (1, 2, 3)),
    ("aeronautical", 13.2, 13.36, (1, 2, 3)), ("aeronautical", 15.01, 15.1, (1, 2, 3)), ("aeronautical", 17.9, 18.03, (1, 2, 3)),
    ("aeronautical", 21.924, 22.0, (1, 2, 3)), ("aeronautical", 108.0, 117.975, (1, 2, 3)),
    ("aeronautical", 117.975, 137.0, (1, 2, 3)), ("aeronautical", 328.6, 335.4, (1, 2, 3)),
    ("aeronautical", 960.0, 1164.0, (1, 2, 3)),
    # Appendix 17: maritime mobile in the short waves, their telephony.
    ("marine", 4.065, 4.438, (1, 2, 3)), ("marine", 6.2, 6.525, (1, 2, 3)), ("marine", 8.195, 8.815, (1, 2, 3)),
    ("marine", 12.23, 13.2, (1, 2, 3)), ("marine", 16.36, 17.41, (1, 2, 3)), ("marine", 18.78, 18.9, (1, 2, 3)),
    ("marine", 19.68, 19.8, (1, 2, 3)), ("marine", 22.0, 22.855, (1, 2, 3)), ("marine", 25.07, 25.21, (1, 2, 3)),
    ("marine", 26.1, 26.175, (1, 2, 3)), ("marine", 14e-3, 19.95e-3, (1, 2, 3)),
    # Time signals of the long waves, where they are sent.
    ("standard frequency", 0.04, 0.04, (3,)), ("standard frequency", 0.06, 0.06, (1, 2, 3)),
    ("standard frequency", 0.066667, 0.066667, (1,)), ("standard frequency", 0.0685, 0.0685, (3,)),
    ("standard frequency", 0.0775, 0.0775, (1,)), ("standard frequency", 0.162, 0.162, (1,)),
    # Land mobile and what needs no licence, by national and European tables.
    ("land mobile", 30.01, 50.0, (2,)), ("land mobile", 68.0, 74.8, (1,)), ("land mobile", 146.0, 156.0, (1,)),
    ("land mobile", 150.8, 174.0, (2,)), ("land mobile", 380.0, 400.0, (1,)), ("land mobile", 410.0, 470.0, (1, 2, 3)),
    ("land mobile", 806.0, 869.0, (2,)), ("meteorological", 162.4, 162.55, (2,)),
    ("licence-free", 26.965, 27.405, (1, 2, 3)), ("licence-free", 446.0, 446.2, (1,)),
    ("licence-free", 462.55, 462.725, (2,)), ("licence-free", 467.55, 467.725, (2,)),
    ("licence-free", 863.0, 870.0, (1,)),
    # Satellite navigation, its centre frequencies and main lobes; L band; the highest amateur band of small dishes.
    ("satellite", 1166.22, 1186.68, (1, 2, 3)), ("satellite", 1217.37, 1237.83, (1, 2, 3)),
    ("satellite", 1565.19, 1585.65, (1, 2, 3)), ("satellite", 1525.0, 1559.0, (1, 2, 3)),
    ("amateur", 24000.0, 24250.0, (1, 2, 3)),
)  # fmt: skip


def missing(bands: list[tuple[str, float, float]], region: int) -> list[str]:
    """What of the table no band of a kind covers from end to end, of (kind, low_hz, high_hz)."""
    told = []
    for kind, low_mhz, high_mhz, regions in ALLOCATIONS:
        if region in regions and not any(
            one == kind and low <= low_mhz * 1e6 + 1 and high >= high_mhz * 1e6 - 1 for one, low, high in bands
        ):
            told.append(f"region {region}: {kind} {low_mhz} to {high_mhz} MHz")
    return told

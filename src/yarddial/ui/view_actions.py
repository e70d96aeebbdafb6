"""Settings of the person as actions: each is done at once, or asks for its value in the finder."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QApplication

from yarddial.ui.acting import Acting, WindowAction, nothing
from yarddial.ui.settings_sheet import SIZES
from yarddial.ui.theme.palette import DAY, palette
from yarddial.ui.widgets.finder import AskedValue, Findable
from yarddial.yard.bands import Region
from yarddial.yard.countries import countries
from yarddial.yard.locator import read_locator

REGIONS: tuple[tuple[Region, str, str], ...] = (
    (1, "Europe, Africa, north of Asia", "middle east"),
    (2, "the Americas", "North America South America usa canada"),
    (3, "the rest of Asia, Oceania", "australia japan new zealand pacific"),
)


def view_actions(window: Acting) -> tuple[WindowAction, ...]:
    """List them."""
    session = window.session
    preferences = session.preferences

    def text_size(step: int) -> None:
        now = preferences.now.text_scale
        at = min(range(len(SIZES)), key=lambda i: abs(SIZES[i] - now)) + step
        if not 0 <= at < len(SIZES):
            window.say(f"The lettering is as {'large' if step > 0 else 'small'} as it can be")
            return
        preferences.change(text_scale=SIZES[at])
        window.reopen()

    def theme(wanted: str) -> None:
        if wanted != ("day" if palette() is DAY else "night"):
            window.change_theme()

    def region(number: Region) -> None:
        session.board.choose_region(number)
        preferences.change(region=number, country=session.desk.station.country)
        window.say(f"Bands, channels and de-emphasis are now those of region {number}")

    def country(name: str) -> None:
        sentence = session.board.choose_country(name)
        preferences.change(region=session.desk.station.region, country=name)
        window.say(sentence)

    def all_countries() -> list[Findable]:
        return [Findable("country", known.name, partial(country, known.name)) for known in countries()]

    def devices() -> list[Findable]:
        from yarddial.ui.sound_device_box import SYSTEM_CHOICE
        from yarddial.ui.sound_out import SoundOut

        app = QApplication.instance()
        names = SoundOut(app).names() if app is not None else ()
        return [
            Findable("sound device", name or SYSTEM_CHOICE, partial(preferences.change, sound_device=name))
            for name in ("", *names)
        ]

    def setting(name: str, also: str, **changed: object) -> WindowAction:
        act: Callable[[], object] = partial(preferences.change, **changed)
        return WindowAction("View", name, act, "", also)

    return (
        WindowAction("View", "Larger lettering", partial(text_size, +1), "", "bigger text font size letters small read"),
        WindowAction("View", "Smaller lettering", partial(text_size, -1), "", "text font size letters less"),
        WindowAction("View", "Night colours", partial(theme, "night"), "", "dark theme mode black background colour bright too"),
        WindowAction("View", "Day colours", partial(theme, "day"), "", "light theme mode white bright background colour screen too dark"),
        *(
            WindowAction("View", f"Region {number}: {name}", partial(region, number), "", f"continent rules {also}")
            for number, name, also in REGIONS
        ),
        WindowAction("View", "Country", nothing, "", "where live region home rules national", choices=all_countries),
        WindowAction("View", "Locator of the station", nothing, "",
                     "grid square where live place sunrise sunset position",
                     question=AskedValue("two to six signs, such as KL35", lambda: preferences.now.locator,
                                       lambda text: preferences.change(locator=read_locator(text)))),
        WindowAction("View", "Sound device", nothing, "", "headphones headset speaker loudspeaker output card no sound silent", choices=devices),
        setting("S-units first", "s meter s-meter level strength units", level_unit="S"),
        setting("dBm first", "level strength units", level_unit="dBm"),
        setting("Digits in groups of three", "numbers thousands spaces style", digits="grouped"),
        setting("Digits together", "numbers plain copy style", digits="plain"),
    )  # fmt: skip

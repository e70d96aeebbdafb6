"""`yard-dial manual [PAGE]`: the manual on the terminal."""

import click

from yarddial.cli.output import say
from yarddial.yard.manual.pages import PAGES, search, text_of, title_of


@click.command()
@click.argument("page", default="")
@click.option("--search", "words", default="", metavar="WORDS", help="List the pages where all these words stand.")
def command(page: str, words: str) -> int:
    """Print a page; without its name, the list of pages."""
    if words:
        matches = search(words)
        for match in matches:
            say(f"{match.page:<12} {match.line}")
        if not matches:
            say("nothing found: try fewer or other words", is_error=True)
        return 0 if matches else 1
    if not page:
        for name in PAGES:
            say(f"{name:<12} {title_of(name)}")
        return 0
    say(text_of(page), ends_line=False)
    return 0

"""`yard-dial manual [PAGE]`: the manual on the terminal."""

import click

from yarddial.yard.manual.pages import PAGES, search, text_of, title_of


@click.command()
@click.argument("page", default="")
@click.option("--search", "words", default="", metavar="WORDS", help="List the pages where all these words stand.")
def command(page: str, words: str) -> int:
    """Print a page; without its name, the list of pages."""
    if words:
        matches = search(words)
        for match in matches:
            click.echo(f"{match.page:<12} {match.line}")
        if not matches:
            click.echo("nothing found: try fewer or other words", err=True)
        return 0 if matches else 1
    if not page:
        for name in PAGES:
            click.echo(f"{name:<12} {title_of(name)}")
        return 0
    click.echo(text_of(page), nl=False)
    return 0

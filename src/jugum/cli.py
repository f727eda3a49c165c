"""Commands: `jugum up` starts everything; the others are its parts, for installations on many machines."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from jugum import logs, programs
from jugum.errors import JugumError
from jugum.settings import Settings
from jugum.supervisor import run_office

app = typer.Typer(
    add_completion=False,
    pretty_exceptions_enable=False,
    help="Jugum: a model and people share the reading of an office's papers.",
)


@app.callback()
def every_command() -> None:
    """Whatever is run logs alike."""
    logs.configure()


@app.command()
def web() -> None:
    """Run the web processes: one that is busy or dies leaves the others to answer."""
    programs.run_web()


@app.command()
def worker() -> None:
    """Run one worker process."""
    programs.run_worker()


@app.command()
def migrate() -> None:
    """Bring the database to the current form."""
    from jugum.store.migrate import migrate as run

    run(Settings().database_url)


@app.command("add-person")
def add_person(
    login: str, name: str, role: str, password: Annotated[str, typer.Option(prompt=True, hide_input=True)]
) -> None:
    """Add someone who may sign in (role: analyst, reviewer, administrator)."""
    from jugum.flow.office import people
    from jugum.flow.office.actor import Actor
    from jugum.store import Store

    store = Store(Settings())
    # Who can run this command on the machine may do everything; in the audit it stands without a person.
    actor = Actor(0, "command line", "administrator") if people.anybody(store) else None
    people.add_person(store, actor, login=login, name=name, role=role, password=password)


@app.command()
def mail() -> None:
    """Run the mail stand-in that receives papers (JUGUM_MAIL_PORT), until stopped."""
    programs.run_mail()


@app.command()
def suggestions() -> None:
    """Run the suggestion stand-in (JUGUM_SUGGESTION_PORT), until stopped."""
    programs.run_suggestions()


@app.command()
def states() -> None:
    """Print the page of all states and allowed changes, as docs/states.md has it."""
    from jugum.core.formats.states_page import states_page

    print(states_page(), end="")


@app.command("demo-fill")
def demo_fill() -> None:
    """Fill the demo workspace (workers must be running)."""
    programs.run_demo_fill()


@app.command()
def up(demo: Annotated[bool, typer.Option(help="With the demo workspace")] = False) -> None:
    """Start database (unless JUGUM_DATABASE_URL names one), workers and web; stop all of it on Ctrl-C or SIGTERM."""
    try:
        run_office(Settings(), demo=demo)
    except JugumError as error:
        print(f"Jugum could not start: {error}", file=sys.stderr)
        raise typer.Exit(1) from error


if __name__ == "__main__":
    app()

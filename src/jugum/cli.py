"""Commands: `jugum up` starts everything; the others are its parts, for installations on many machines."""

from __future__ import annotations

import os
import sys
from typing import Annotated

import typer

from jugum import logs
from jugum.errors import JugumError
from jugum.processes import end_with_parent
from jugum.settings import Settings
from jugum.supervisor import SUPERVISED, run_office

app = typer.Typer(
    add_completion=False,
    pretty_exceptions_enable=False,
    help="Jugum: a model and people share the reading of an office's papers.",
)
# Longer than clients keep a connection they don't use (5 s and more is usual): else a request may meet a connection
# that is just being closed.
KEEP_ALIVE_SECONDS = 75
WORKER_NICENESS = 10


@app.callback()
def every_command() -> None:
    """Whatever is run logs alike, and ends with who keeps it running."""
    logs.configure()
    if SUPERVISED in os.environ:
        end_with_parent(int(os.environ[SUPERVISED]))


@app.command()
def web() -> None:
    """Run the web processes: one that is busy or dies leaves the others to answer."""
    import uvicorn

    settings = Settings()
    uvicorn.run(
        "jugum.web.app:app_from_settings",
        factory=True,
        workers=settings.web_processes,
        host=settings.host,
        port=settings.port,
        log_config=None,
        access_log=False,
        timeout_graceful_shutdown=3,
        timeout_keep_alive=KEEP_ALIVE_SECONDS,
    )


@app.command()
def worker() -> None:
    """Run one worker process. It yields to the web: people wait for pages, nobody for the one paper that is read."""
    from jugum.work.worker import run_worker

    os.nice(WORKER_NICENESS)
    run_worker(Settings())


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
    from jugum.standins.mail import run_mail

    run_mail(Settings())


@app.command()
def suggestions() -> None:
    """Run the suggestion stand-in (JUGUM_SUGGESTION_PORT), until stopped."""
    from jugum.standins.suggestions import run_suggestions

    run_suggestions(Settings().suggestion_port)


@app.command()
def states() -> None:
    """Print the page of all states and allowed changes, as docs/states.md has it."""
    from jugum.core.formats.states_page import states_page

    print(states_page(), end="")


@app.command("demo-fill")
def demo_fill() -> None:
    """Fill the demo workspace (workers must be running)."""
    from jugum.demo.fill import fill, is_filled
    from jugum.store import Store

    store = Store(Settings())
    if not is_filled(store):
        fill(store, lambda line: print(line, flush=True))


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

from jugum.cli import app

app()

"""The command `orchard`: for people at a terminal and in scripts."""

import sys
from importlib import import_module
from typing import Any

import typer
from typer.core import TyperGroup

from vast_orchard.errors import OrchardError
from vast_orchard.logs import set_up_logs

__all__ = ["app", "main"]

# Where each command lives. They are imported when asked for, because the server's process must not load the engine.
_COMMANDS = {
    "train": "vast_orchard.cli.train:train",
    "folds": "vast_orchard.cli.folds:folds",
    "search": "vast_orchard.cli.search:search_settings",
    "combine": "vast_orchard.cli.combine:combine",
    "finish": "vast_orchard.cli.finish:finish",
    "findings": "vast_orchard.cli.findings:findings",
    "judge": "vast_orchard.cli.judge:judge_folder",
    "predict": "vast_orchard.cli.predict:predict",
    "export": "vast_orchard.cli.export:export_model",
    "plan": "vast_orchard.cli.engine:show_plan",
    "starter": "vast_orchard.cli.starter:teach_starter",
    "starters": "vast_orchard.cli.starts:list_starters",
    "demo": "vast_orchard.cli.demo:demo",
    "bench": "vast_orchard.cli.bench:app",
    "prepare": "vast_orchard.cli.engine:prepare",
    "bucket": "vast_orchard.cli.demo:bucket",
    "hook": "vast_orchard.cli.demo:hook",
    "backup": "vast_orchard.cli.backup:backup",
    "restore": "vast_orchard.cli.backup:restore",
    "report": "vast_orchard.cli.report:report",
    "sift": "vast_orchard.cli.sift:sift",
    "up": "vast_orchard.cli.serve:up",
    "worker": "vast_orchard.cli.serve:worker",
    "serve": "vast_orchard.cli.serve:serve",
    "serve-models": "vast_orchard.cli.serve:serve_models",
    "openapi": "vast_orchard.cli.serve:openapi",
}


class _Commands(TyperGroup):
    """Commands that are imported when they are asked for."""

    def list_commands(self, ctx: Any) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        if cmd_name not in _COMMANDS:
            return None
        module, attribute = _COMMANDS[cmd_name].split(":")
        found = getattr(import_module(module), attribute)
        if not isinstance(found, typer.Typer):
            function, found = found, typer.Typer(add_completion=False)
            found.command(cmd_name)(function)
        command = typer.main.get_command(found)
        command.name = cmd_name
        return command


app = typer.Typer(cls=_Commands, add_completion=False, no_args_is_help=True)


@app.callback()
def _about() -> None:
    """From labelled pictures to a measured, exported network."""
    # Of every command: standard output belongs to what it was asked for.
    set_up_logs()


def main() -> None:
    """Run the command; errors of ours end it with one line instead of a trace."""
    try:
        app()
    except OrchardError as error:
        print(f"orchard: {error}", file=sys.stderr)
        sys.exit(1)

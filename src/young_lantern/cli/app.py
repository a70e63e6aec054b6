"""Arguments of `lantern` and its commands. The work is imported only by the command that does it, so that help comes at once."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Optional

import typer

from .output import DIFFERS, FAILED, SAME, check_output_folder, clear_errors, say, show, show_json, write_all

app = typer.Typer(
    name="lantern", add_completion=False, pretty_exceptions_enable=False, rich_markup_mode=None,
    help="Moves web front ends between server configuration dialects, and shows that requests get the same answer.",
)
Source = Annotated[Path, typer.Argument(metavar="SOURCE", help="a configuration: its main file, or the folder that holds it")]
Dialect = Annotated[Optional[str], typer.Option("--dialect", metavar="NAME", help="the dialect of SOURCE, if it is not recognised")]
Json = Annotated[bool, typer.Option("--json", help="print JSON, and nothing else, on standard output")]
FilesAt = Annotated[Optional[list[str]], typer.Option("--files-at", metavar="ROOT=FOLDER", help="where a document root, or what is included by its whole name, lies on this machine; may be repeated")]


@app.callback(invoke_without_command=True)
def _top(context: typer.Context, version: Annotated[bool, typer.Option("--version", help="print the version and leave")] = False) -> None:
    if version:
        from importlib.metadata import version as installed

        print(f"lantern {installed('young-lantern')}")
        raise typer.Exit(SAME)
    if context.invoked_subcommand is None:
        print(context.get_help())


@app.command(short_help="what is there, and what is wrong with it")
def survey(source: Source, files_at: FilesAt = None, dialect: Dialect = None, as_json: Json = False) -> None:
    """What is there: listeners, sites, pools, certificates, and what is wrong with them."""
    with clear_errors():
        from ..health import check_health
        from ..model import Severity
        from ..report import documents, text
        from ..translate import read
        from .choices import places

        reading = read(source, dialect, places(files_at or []))
        health = check_health(reading)
        if as_json:
            show_json(documents.survey_document(reading, health))
        else:
            show(text.survey_text(reading, health))
        if any(item.code.severity is Severity.BREAKING for item in [*reading.findings, *health]):
            raise typer.Exit(DIFFERS)


@app.command(short_help="how one request is handled, with lines")
def trace(source: Source, url: Annotated[str, typer.Argument(metavar="URL", help="such as https://www.fernhollow.example/path?query")],
          method: Annotated[str, typer.Option("--method", metavar="METHOD")] = "GET",
          field: Annotated[Optional[list[str]], typer.Option("--field", metavar="NAME:VALUE", help="a request field; may be repeated")] = None,
          client: Annotated[str, typer.Option("--client", metavar="ADDRESS", help="the client's address")] = "192.0.2.10",
          certificate: Annotated[Optional[str], typer.Option("--certificate", metavar="ISSUER", help="the client shows a certificate, of a 'trusted' or 'unknown' issuer")] = None,
          files_at: FilesAt = None, dialect: Dialect = None, as_json: Json = False) -> None:
    """How one request is handled, step by step, with the lines that decide."""
    with clear_errors():
        from ..report import documents, text
        from ..translate import read
        from .choices import facts_for, one_request, places

        request = one_request(url, method, field or [], client, certificate)
        reading = read(source, dialect, places(files_at or []))
        from ..behaviour import decide
        from ..behaviour.deployment import as_deployed

        outcome = decide(as_deployed(reading.estate), request, facts_for(reading))
        if as_json:
            show_json(documents.trace_document(request, outcome))
        else:
            show(text.trace_text(request, outcome))


@app.command(short_help="the new configuration, with its evidence")
def translate(source: Source, to: Annotated[str, typer.Option("--to", metavar="DIALECT", help="the dialect to write")],
              out: Annotated[Path, typer.Option("--out", metavar="DIR", help="the folder for the new configuration")],
              force: Annotated[bool, typer.Option("--force", help="write into a folder that is not empty")] = False,
              strict: Annotated[bool, typer.Option("--strict", help="reproduce even accidents of the source")] = False,
              placeholder: Annotated[Optional[str], typer.Option("--placeholder", metavar="STYLE", help="how values left to deployment are spelt, NAME standing for the name: '{$NAME}'")] = None,
              report: Annotated[Optional[Path], typer.Option("--report", metavar="FILE", help="write the HTML report to this file, too")] = None,
              files_at: FilesAt = None, dialect: Dialect = None, as_json: Json = False) -> None:
    """The new configuration, what became of every directive, and how the behaviour compares."""
    with clear_errors():
        from ..dialects.dialect import WriterOptions
        from ..report import documents, text
        from ..translate import translate as run
        from .choices import clean, places, read_besides

        check_output_folder(out, force)
        if report is not None:
            check_output_folder(report.absolute().parent, True)
        translation = run(source, to, dialect=dialect, options=WriterOptions(strict, placeholder), files=places(files_at or []))
        write_all(translation.writing.files, out)
        if report is not None:
            from ..report.page import page

            write_all({report.name: page(translation)}, report.absolute().parent)
        if as_json:
            show_json(documents.translation_document(translation))
        else:
            show(text.translation_text(translation))
        say(f"The new configuration is in {out}.")
        for name in read_besides(translation, out):
            say(f"{out / name} was there before, and is read with it: take it away, or what was compared is not what will run.")
        raise typer.Exit(SAME if clean(translation) else DIFFERS)


@app.command(short_help="how the behaviour of two differs")
def compare(before: Annotated[Path, typer.Argument(metavar="BEFORE", help="a configuration")],
            after: Annotated[Optional[Path], typer.Argument(metavar="[AFTER]", help="another, of the same dialect or not", show_default=False)] = None,
            live: Annotated[bool, typer.Option("--live", help="run both real servers on loopback and ask them, too")] = False,
            requests: Annotated[Optional[Path], typer.Option("--requests", metavar="FILE", help="requests of your own, JSON Lines or HAR")] = None,
            access_log: Annotated[Optional[Path], typer.Option("--access-log", metavar="FILE", help="requests that came, common or combined log format")] = None,
            log_at: Annotated[Optional[str], typer.Option("--log-at", metavar="URL", help="where the requests of the log came to: https://www.fernhollow.example")] = None,
            save_requests: Annotated[Optional[Path], typer.Option("--save-requests", metavar="FILE", help="write the requests that were decided, with what came of them in BEFORE")] = None,
            expect: Annotated[Optional[Path], typer.Option("--expect", metavar="FILE", help="in the place of AFTER: hold BEFORE against what was saved")] = None,
            before_at: Annotated[Optional[list[str]], typer.Option("--before-at", metavar="ADDRESS", help="a host that runs BEFORE: it is asked, too; may be repeated")] = None,
            after_at: Annotated[Optional[list[str]], typer.Option("--after-at", metavar="ADDRESS", help="a host that runs AFTER; may be repeated")] = None,
            rate: Annotated[float, typer.Option("--rate", metavar="N", min=0.1, help="ask hosts so many times a second at the most")] = 20.0,
            all_methods: Annotated[bool, typer.Option("--all-methods", help="ask hosts by methods that may change something, too")] = False,
            most: Annotated[int, typer.Option("--most", metavar="N", min=1, help="ask servers and hosts so many requests at the most")] = 2000,
            files_at: FilesAt = None, before_dialect: Annotated[Optional[str], typer.Option("--before-dialect", metavar="NAME")] = None,
            after_dialect: Annotated[Optional[str], typer.Option("--after-dialect", metavar="NAME")] = None, as_json: Json = False) -> None:
    """How the behaviour of two configurations differs, and which lines decide."""
    with clear_errors():
        from .comparing import Wanted, run

        wanted = Wanted(before, after, live, requests, access_log, log_at, save_requests, expect, before_at or [], after_at or [], rate, all_methods, most, files_at or [],
                        before_dialect, after_dialect, as_json)
        raise typer.Exit(run(wanted))


@app.command(short_help="which directives are carried how")
def support(directive: Annotated[Optional[str], typer.Argument(metavar="DIRECTIVE", help="only this one")] = None,
            dialect: Annotated[Optional[str], typer.Option("--dialect", metavar="NAME", help="only those of this dialect")] = None, as_json: Json = False) -> None:
    """Which directives of which dialect are carried how, to which dialect."""
    with clear_errors():
        from ..dialects import named
        from ..report import documents, text
        from ..support import support as table

        rows = table(named(dialect).name if dialect else None, directive)
        if directive and not rows:
            from .choices import unknown_directive

            raise unknown_directive(directive, dialect)
        if as_json:
            show_json(documents.support_document(rows))
        else:
            show(text.support_text(rows))


@app.command(short_help="the whole story on the sample estate")
def demo(out: Annotated[Path, typer.Option("--out", metavar="DIR", help="the folder for all that it makes")] = Path("fernhollow-moved"),
         force: Annotated[bool, typer.Option("--force", help="write into a folder that is not empty")] = False,
         model_only: Annotated[bool, typer.Option("--model-only", help="do not run the real servers")] = False, as_json: Json = False) -> None:
    """The whole story on the sample estate: nginx to Caddy, compared by the model and by both servers."""
    with clear_errors():
        from .story import tell

        raise typer.Exit(tell(out, force, model_only, as_json))


# What the argument parser raises for wrong words; its base class is public nowhere, but is the parent of this one.
_USAGE_ERROR = typer.BadParameter.__mro__[2]


def main() -> None:
    """The entry point of the command."""
    import sys

    try:
        status = app(standalone_mode=False)
    except typer.Exit as error:
        status = error.exit_code
    except typer.Abort:
        say("lantern: stopped")
        status = FAILED
    except _USAGE_ERROR as error:
        say(f"lantern: {error.format_message()}")  # type: ignore[attr-defined]
        status = FAILED
    sys.exit(status if isinstance(status, int) else SAME)

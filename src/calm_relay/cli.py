"""The command line: the window, and the same plan without one."""

import argparse
import os
import sys
from pathlib import Path

from calm_relay import __version__

# Words of release 0.1 that are still understood for one release.
FORMER_BENEFITS = {"own": "self-sufficiency"}


def main(argv: list[str] | None = None) -> int:
    """Runs a command; returns the exit status: 0 done, 1 the job cannot be planned or read, 2 wrong words."""
    arguments = _parser().parse_args(argv)
    try:
        return arguments.run(arguments)
    except BrokenPipeError:
        return 1
    except OSError as error:
        from calm_relay.exchange.errors import problem_of

        print(f"calm-relay: {problem_of(error)}", file=sys.stderr)
        return 1
    except ValueError as error:
        print(f"calm-relay: {error}", file=sys.stderr)
        return 1


def _parser():
    parser = argparse.ArgumentParser(
        prog="calm-relay", description="Plans how batteries join a photovoltaic system."
    )
    parser.add_argument("--version", action="version", version=f"Calm Relay {__version__}")
    parser.set_defaults(run=_open, job=None)
    commands = parser.add_subparsers(metavar="COMMAND")
    demo = commands.add_parser("demo", help="open the window on the demo job")
    demo.add_argument("name", nargs="?", default="pottery", help="pottery (when left out), cottage, dairy or hut")
    demo.set_defaults(run=_demo)
    open_ = commands.add_parser("open", help="open the window on a job file")
    open_.add_argument("job", type=Path, metavar="JOB", nargs="?", help="the demo job when left out")
    open_.set_defaults(run=_open)
    assess = commands.add_parser("assess", help="plan a job without a window")
    assess.add_argument(
        "job",
        metavar="JOB",
        help="a job file, or demo, demo:cottage, demo:dairy, demo:hut, demo:two-homes for a job that ships with it",
    )
    assess.add_argument(
        "--json",
        type=Path,
        metavar="FILE",
        help="write the plan, its bound, fade and tipping points as JSON (- prints it)",
    )
    summary = "leave bound, fade and tipping points, which take seconds, out of the JSON"
    assess.add_argument("--plan-only", action="store_true", help=summary)
    assess.add_argument("--series", type=Path, metavar="DIR", help="write each option's year as CSV")
    assess.set_defaults(run=_assess)
    search = commands.add_parser("search", help="try every plant the catalogue makes, and tell the best")
    search.add_argument("job", metavar="JOB", help="a job file, or the word demo")
    by = "saving (when left out), npv, score, self-sufficiency or hours"
    search.add_argument("--by", default="saving", metavar="BENEFIT", help=by)
    search.add_argument("--csv", type=Path, metavar="FILE", help="write every plant as CSV (- prints it)")
    search.set_defaults(run=_search)
    report = commands.add_parser("report", help="write the summary of a plan as PDF")
    report.add_argument("job", metavar="JOB", help="a job file, or the word demo")
    report.add_argument("out", type=Path, metavar="OUT.pdf")
    report.set_defaults(run=_report)
    export = commands.add_parser("export", help="write the plan's pictures and tables")
    export.add_argument("job", metavar="JOB", help="a job file, or the word demo")
    export.add_argument("folder", type=Path, metavar="DIR")
    export.set_defaults(run=_export)
    papers = commands.add_parser(
        "papers", help="write offer, materials, settings, work order, application, diagram"
    )
    papers.add_argument("job", metavar="JOB", help="a job file, or the word demo")
    papers.add_argument("folder", type=Path, metavar="DIR")
    papers.add_argument("--option", metavar="KEY", help="which option; the one that fits best when left out")
    papers.set_defaults(run=_papers)
    site = commands.add_parser("site", help="play the planned plant as a SunSpec Modbus server on this machine")
    site.add_argument("job", metavar="JOB", help="a job file, or demo, demo:two-homes and so on")
    site.add_argument(
        "--option", metavar="KEY", help="which option; the one that was built, else the one that fits best"
    )
    site.add_argument(
        "--day", default="06-21", metavar="MM-DD", help="day of the plan's year (06-21 when left out)"
    )
    site.add_argument("--from", dest="clock", default="10:00", metavar="HH:MM", help="local time it begins at")
    site.add_argument("--speed", type=float, default=60.0, metavar="N", help="how many times as fast as life")
    site.add_argument("--port", type=int, default=5020, help="port on 127.0.0.1 (5020 when left out)")
    site.add_argument("--line", default="", metavar="DEV", help="serve RTU on a serial line instead")
    faults = "missing-module:N, dead-string:N, dead-branch:N, reversed-ct:PHASE, weak-pack, "
    faults += "wrong-battery-order, frozen:UNIT"
    site.add_argument(
        "--fault", action="append", default=[], metavar="KIND", help=f"what is wrong: {faults}, noise, dropped"
    )
    site.add_argument("--for", dest="seconds", type=float, metavar="S", help="end after so many seconds")
    site.set_defaults(run=_site)
    book = commands.add_parser("book", help="all jobs of a folder as one table, as they are or under a change")
    book.add_argument("folder", type=Path, metavar="FOLDER")
    book.add_argument("--tariff", metavar="NAME|FILE", help="an own tariff by name, or a tariff as JSON")
    book.add_argument("--on-tariff", default="", metavar="NAME", help="only for jobs on the tariff of that name")
    book.add_argument("--prices", metavar="own|FILE", help="the firm's price list, or one as JSON")
    book.add_argument("--rules", metavar="KEY", help="another rule pack, such as germany")
    book.add_argument("--newest", action="store_true", help="equipment as the library has it now")
    book.add_argument("--cores", type=int, metavar="N", help="processes on this machine; all cores when left out")
    book.add_argument(
        "--scheduler", metavar="ADDRESS", help="plan on a Dask cluster, such as tcp://192.168.1.20:8786"
    )
    book.add_argument("--out", type=Path, metavar="FILE", help="write the rows as .csv or .parquet")
    book.add_argument("--invent", type=int, metavar="N", help="first write so many invented jobs into the folder")
    book.set_defaults(run=_book)
    install = commands.add_parser("install", help="put menu entry, icon and description in the user's home")
    install.add_argument("--data", type=Path, metavar="DIR", help="another place than the user's data folder")
    install.set_defaults(run=_install)
    schemas = commands.add_parser("schemas", help="write the JSON Schemas of job, plan and own equipment")
    schemas.add_argument("folder", type=Path, metavar="DIR")
    schemas.set_defaults(run=_schemas)
    return parser


def _open(arguments):
    from calm_relay.desk.app.application import run

    return run(arguments.job)


def _demo(arguments):
    from calm_relay.desk.app.application import run

    return run(None, arguments.name)


def _planned(job):
    from calm_relay.exchange.job_file import read_job
    from calm_relay.exchange.own_equipment import library
    from calm_relay.exchange.shipped import demo_job
    from calm_relay.planning.plan import plan

    if job == "demo" or job.startswith("demo:"):
        return plan(demo_job(job.partition(":")[2] or "pottery"), library())
    path = Path(job)
    return plan(read_job(path), library(), path.resolve().parent)


def _for_paper(job):
    """The plan of a job of which everything is said that a paper needs."""
    from calm_relay.planning.common.wanted import wanted_words

    made = _planned(job)
    if made.job.wanted:
        raise ValueError(f"{job}: there is no plan to put on paper yet; still wanted: {wanted_words(made.job)}")
    return made


def _report(arguments):
    from calm_relay.exchange.files import checked_target

    checked_target(arguments.out)
    made = _for_paper(arguments.job)
    _drawing_without_a_screen()
    from datetime import date

    from calm_relay.desk.output.report import write_report

    pages = write_report(made, arguments.out, date.today())
    print(f"{arguments.out}: {pages} pages")
    return 0


def _export(arguments):
    made = _for_paper(arguments.job)
    _drawing_without_a_screen()
    from calm_relay.desk.output.exports import export_plan

    for path in export_plan(made, arguments.folder):
        print(path)
    return 0


def _papers(arguments):
    made = _for_paper(arguments.job)
    option = _option_of(made, arguments.option)
    _drawing_without_a_screen()
    from datetime import date

    from calm_relay.desk.output.papers import write_papers
    from calm_relay.exchange.files import make_folder
    from calm_relay.exchange.firm import read_firm

    make_folder(arguments.folder)
    for path in write_papers(made, option, arguments.folder, read_firm(), date.today()):
        print(path)
    return 0


def _site(arguments):
    import time

    from calm_relay.fieldbus.server import SiteServer
    from calm_relay.planning.commissioning.played import FAULTS, PlayedSite, fault_of, step_at

    if not 0.0 < arguments.speed <= 100_000.0:
        raise ValueError(f"--speed: is {arguments.speed:g}; wanted above 0, at most 100,000")
    if not 0 <= arguments.port <= 65535:
        raise ValueError(f"--port: is {arguments.port}; wanted 0 to 65535, 0 for any that is free")
    faults = [fault_of(text) for text in arguments.fault]
    made = _planned(arguments.job)
    option = _option_of(made, arguments.option or made.job.commissioning.option)
    began = time.monotonic()
    first = step_at(made, arguments.day, arguments.clock)
    played = PlayedSite(made, option, first, arguments.speed, faults, lambda: time.monotonic() - began)
    server = SiteServer(played.devices, arguments.port, arguments.line)
    port = server.start()
    where = arguments.line or f"127.0.0.1:{port}"
    print(f"{made.job.name}: {option.title}, served at {where}. Ctrl+C ends it.")
    for unit, say in played.devices.items():
        reading = say()
        print(f"  unit {unit}: {reading.words if reading is not None else 'silent'}")
    for fault in faults:
        print(f"  fault: {fault.kind}:{fault.number}, {FAULTS[fault.kind]}")
    print(
        f"Played from {arguments.day}, {arguments.clock}, {arguments.speed:g} times as fast as life.", flush=True
    )
    try:
        while arguments.seconds is None or time.monotonic() - began < arguments.seconds:
            time.sleep(0.2)
    except KeyboardInterrupt:
        print()
    server.stop()
    return 0


def _book(arguments):
    from datetime import date

    from calm_relay.exchange.book_files import checked_table, write_table
    from calm_relay.planning.book.invented import write_invented
    from calm_relay.planning.book.replan import BookError, cluster, local_cores, planned_book
    from calm_relay.planning.book.words import TABLE_COLUMNS, book_text, table_rows

    today = date.today()
    if arguments.cores is not None and not 1 <= arguments.cores <= 1024:
        raise ValueError(f"--cores: is {arguments.cores}; wanted 1 to 1024")
    if arguments.out is not None:
        checked_table(arguments.out)
    if arguments.invent is not None:
        if not 1 <= arguments.invent <= 10_000:
            raise ValueError(f"--invent: is {arguments.invent}; wanted 1 to 10,000")
        write_invented(arguments.folder, arguments.invent, today)
    change = _change_of(arguments)

    def progress(done, what):
        if sys.stderr.isatty():
            print(f"\r{what}", end="", file=sys.stderr, flush=True)

    where = cluster(arguments.scheduler) if arguments.scheduler else local_cores(arguments.cores)
    try:
        with where as workers:
            book = planned_book(arguments.folder, workers, change, progress)
    except BookError as error:
        raise ValueError(str(error)) from error
    if sys.stderr.isatty():
        print(file=sys.stderr)
    print(book_text(book, today))
    if arguments.out is not None:
        write_table(arguments.out, TABLE_COLUMNS, table_rows(book, today))
        print(arguments.out)
    return 0


def _change_of(arguments):
    """What the words of the command change in every job."""
    from calm_relay.exchange.own_equipment import library, read_price_file, read_prices
    from calm_relay.exchange.own_tariffs import read_tariff_file, read_tariffs
    from calm_relay.planning.book.change import Change

    tariff = costs = None
    if arguments.tariff is not None:
        own = {item.name.casefold(): item for item in read_tariffs()}
        tariff = own.get(arguments.tariff.casefold()) or read_tariff_file(Path(arguments.tariff))
    if arguments.on_tariff and tariff is None:
        raise ValueError("--on-tariff: names whom the new tariff is for; wanted --tariff beside it")
    if arguments.prices is not None:
        costs = read_prices() if arguments.prices == "own" else read_price_file(Path(arguments.prices))
        if costs is None:
            raise ValueError("--prices own: the firm has no price list yet; wanted one kept on the bench Survey")
    packs = library().rule_packs
    if arguments.rules is not None and arguments.rules not in packs:
        raise ValueError(f"--rules: is {arguments.rules!r}; wanted one of {', '.join(packs)}")
    return Change(
        tariff=tariff,
        on_tariff=arguments.on_tariff,
        costs=costs,
        region=arguments.rules,
        newest=arguments.newest,
    )


def _option_of(made, key):
    """An option of a plan by its key, the one that fits best where none is named."""
    keys = [option.key for option in made.live]
    wanted = key or made.choice.key or keys[-1]
    if wanted not in keys:
        raise ValueError(f"--option: is {wanted!r}; wanted one of {', '.join(keys)}")
    return made.option(wanted)


def _drawing_without_a_screen():
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from calm_relay.desk.app.application import application

    application()


def _install(arguments):
    from calm_relay.exchange.desktop_entry import install

    for path in install(arguments.data):
        print(path)
    return 0


def _assess(arguments):
    from calm_relay.exchange.files import checked_target, make_folder, write_atomically
    from calm_relay.exchange.plan_document import plan_text, series_text
    from calm_relay.planning.studies.collected import studies_of
    from calm_relay.planning.verdict.option import Option
    from calm_relay.planning.views.document import document_of, foresight_series, series_of

    to_file = arguments.json is not None and str(arguments.json) != "-"
    if to_file:
        checked_target(arguments.json)
    made = _planned(arguments.job)
    if arguments.series:
        make_folder(arguments.series)
    studies = studies_of(made) if arguments.json and not arguments.plan_only else None
    text = plan_text(document_of(made, studies))
    if to_file:
        write_atomically(arguments.json, text.encode())
    elif arguments.json:
        print(text, end="")
    if arguments.series:
        for option in made.options:
            if isinstance(option, Option):
                stamps, columns = series_of(option, made)
                path = arguments.series / f"{option.key}.csv"
                write_atomically(path, series_text(stamps, columns).encode())
            gap = studies and studies.foresight.get(option.key)
            if gap:
                path = arguments.series / f"{option.key}-foresight.csv"
                write_atomically(path, series_text(*foresight_series(gap, made)).encode())
    if not arguments.json:
        print(_summary(made))
    return 0


def _search(arguments):
    from calm_relay.exchange.files import checked_target, write_atomically
    from calm_relay.exchange.table_file import table_text
    from calm_relay.planning.studies.search import BENEFITS, efficient_edge, filter_of, plant_rows, search

    by = FORMER_BENEFITS.get(arguments.by, arguments.by)
    if by not in BENEFITS:
        raise ValueError(f"--by: {arguments.by!r} is no benefit; wanted one of {', '.join(BENEFITS)}")
    to_file = arguments.csv is not None and str(arguments.csv) != "-"
    if to_file:
        checked_target(arguments.csv)
    made = _planned(arguments.job)
    result = search(made)
    if arguments.csv:
        text = table_text(plant_rows(result))
        if not to_file:
            print(text, end="")
            return 0
        write_atomically(arguments.csv, text.encode())
    words, worth = BENEFITS[by]
    wanted = filter_of(made.job)
    plants = [plant for plant in result.plants if wanted.met_by(plant)]
    within = "" if wanted.unmet_max is None else f", {len(plants):,} leave at most {wanted.unmet_max:.1%} unserved"
    print(f"{len(result.plants):,} of {result.tried:,} plants can be built{within}.")
    print("None costs less and brings more than:")
    currency = made.job.tariff.currency
    for plant in efficient_edge(plants, by):
        outlay = f"{currency} {plant.brief.money.outlay:,.0f}"
        print(f"  {outlay:>12}  {worth(plant):10,.1f} {words}: {plant.title}, {plant.profile}, {plant.roof}")
    return 0


def _summary(made):
    from calm_relay.planning.common.amounts import money_text, years_text
    from calm_relay.planning.common.vocabulary import vocabulary_of
    from calm_relay.planning.verdict.option import RefusedOption

    note = f" ({made.assumed_note})" if made.assumed_note else ""
    lines = [f"{made.job.name}: {made.site.source}; {made.demand.source}.", ""]
    for option in made.options:
        if isinstance(option, RefusedOption):
            lines.append(f"{option.title}: cannot be built. {'; '.join(option.refusal.reasons)}.")
            continue
        figures, money = option.outcome.figures, option.outcome.money
        payback = years_text(money.payback_years)
        spent = f", outlay {money_text(made.job, money.outlay)}, payback {payback}" if money.outlay > 0 else ""
        on_grid = made.job.supply.on_grid
        words = vocabulary_of(made.job.supply)
        unmet = "" if on_grid else f", unserved {option.outcome.unmet:.1%}"
        lines.append(
            f"{option.title}: {words.bill_word} {money_text(made.job, money.bill)} a year{spent}, "
            f"{words.import_word} {figures.import_kwh:,.0f} kWh, "
            f"self-sufficiency {figures.self_sufficiency:.0%}{unmet}{note}"
        )
        lines += [f"  {finding.severity.name.lower()}: {finding.sentence}" for finding in option.findings]
    return "\n".join([*lines, "", made.choice.sentence])


def _schemas(arguments):
    from calm_relay.exchange.files import make_folder, write_atomically
    from calm_relay.exchange.plan_document import PlanDocument, schema_text
    from calm_relay.job.model import Job
    from calm_relay.job.own_item import FILES

    make_folder(arguments.folder)
    for name, model, title in (
        ("job", Job, "Calm Relay job, *.relay.json"),
        ("plan", PlanDocument, "Calm Relay plan, as written by assess"),
        *(
            (f"own-{kind}", model, f"Own {kind} of a Calm Relay library, {kind}.json")
            for kind, model in FILES.items()
        ),
    ):
        write_atomically(arguments.folder / f"{name}.schema.json", schema_text(model, title).encode())
    return 0

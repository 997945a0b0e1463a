"""`brisk-anchor link`, `order`, `take`, `machine`: programs to a control, reports from it, a stand-in to try it on."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from brisk_anchor.cli.book import JobOption, JsonOption, session_of
from brisk_anchor.cli.saying import say
from brisk_anchor.core.errors import LinkError, PlanError, ReportError
from brisk_anchor.core.quantities import dim
from brisk_anchor.nc.bounded import is_file

if TYPE_CHECKING:
    from brisk_anchor.nc.programs.heard import Heard
    from brisk_anchor.services.orders.order import Order
    from brisk_anchor.services.orders.orders import Arrival, Orders
    from brisk_anchor.services.session.session import Session

link_app = typer.Typer(no_args_is_help=True, help="The link of a machine: what answers, and what it says.")
order_app = typer.Typer(no_args_is_help=True, help="Programs handed to a linked control, and what waits for a report.")
machine_app = typer.Typer(
    no_args_is_help=True, help="Run the stand-in as a separate machine, at the other end of a job's link."
)

_LONGEST = 20_000_000
"""So many bytes of a report are read, no more."""
WaitOption = Annotated[float, typer.Option("--wait", min=0, max=86_400, help="Wait so long, s, for the report.")]


def _folder(job: Path | None) -> Path:
    if job is None:
        raise LinkError("Which job?", "A linked control belongs to a job", "Give --job FOLDER")
    return job.parent if is_file(job) else job


def orders_of(job: Path | None, session: Session | None = None) -> Orders:
    """What was handed over for a linked job, with what came of it. Raises LinkError: there is no job."""
    from brisk_anchor.services.orders.orders import Orders
    from brisk_anchor.services.paths import data_folder

    folder = _folder(job)
    orders = Orders(session or session_of(job), folder, data_folder())
    for fault in orders.faults:
        say(f"! {fault}", err=True)
    return orders


def _tell(outcome: Arrival) -> bool:
    """Print what became of a report; whether it was taken, now or before."""
    told, behind, tone = outcome.words
    say(f"{told} {behind}".strip(), err=tone == "bad")
    for item in outcome.taken.repeated if outcome.taken is not None else ():
        say(f"  {item.label:<12}{dim(item.mean, 4)}  ± {dim(item.spread, 4)}, {len(item.values)} runs")
    return outcome.taken is not None or outcome.again


@link_app.command("test")
def test_link(folder: Annotated[Path, typer.Argument(help="Folder of a job, or a machine's file.")]) -> None:
    """Say what of a machine's link answers. Nothing is written or sent."""
    from brisk_anchor.link.settings import what_answers
    from brisk_anchor.services.job.jobs import load_job, load_machine, machine_file_of

    path = machine_file_of(folder)
    machine = load_machine(path).machine if path is not None else load_job(folder).machine
    base = path.parent if path is not None else folder
    if machine.link is None:
        say(f"{machine.name} has no [link]: it is {machine.connection}")
        return
    settings = machine.link.settings(base.absolute())
    say(f"{machine.name}: {settings.words}")
    found = what_answers(settings)
    for good, words in found:
        say(f"{'✔' if good else '✘'} {words}")
    if not all(good for good, _ in found):
        raise typer.Exit(2)


@link_app.command("listen")
def listen(job: JobOption = None, seconds: Annotated[float, typer.Option("--for", min=0)] = 3600.0) -> None:
    """Hear the link and take what belongs to the job, until so many seconds have passed."""
    orders = orders_of(job)
    _listen(orders, seconds, lambda _outcome: False)


def _listen(orders: Orders, seconds: float, enough: object) -> bool:
    """Hear the link; whether `enough` said so of an outcome before the time was over."""
    from queue import Empty, Queue
    from threading import Thread

    from brisk_anchor.services.orders.listening import LinkState, Listening
    from brisk_anchor.services.paths import data_folder

    session = orders.session
    if session.link_settings is None or not session.link_settings.reports:
        raise LinkError("Nothing comes back over this link", "", "brisk-anchor take reads a file that was printed")
    came: Queue[Arrival | str] = Queue()

    def arrived(heard: Heard) -> bool:
        came.put(orders.arrived(heard))
        return True

    def stands(state: LinkState) -> None:
        if state.lost or state.busy:
            came.put(state.lost or "Another window listens to this link: reports come by it.")

    listening = Listening(
        session.link_settings,
        session.wire,
        orders.kept.mark,
        orders.folder.path,
        data_folder(),
        arrived,
        orders.marked,
        stands,
        fresh=not orders.folder.all(),
    )
    thread = Thread(target=listening.run, name="link", daemon=True)
    thread.start()
    until = time.monotonic() + seconds
    try:
        while (left := until - time.monotonic()) > 0:
            for outcome in orders.take_offered():
                came.put(outcome)
            try:
                item = came.get(timeout=min(0.5, left))
            except Empty:
                continue
            if isinstance(item, str):
                say(item, err=True)
            elif (_tell(item) or item.error is not None) and callable(enough) and enough(item):
                return True
    finally:
        listening.stop()
        thread.join(3.0)
    return False


def _handed(orders: Orders, order: Order, wait: float) -> None:
    say(f"{order.where}. Load it, look which tool it wants, press cycle start.")
    if not wait:
        return
    if not _listen(orders, wait, lambda outcome: outcome.order is not None and outcome.order.key == order.key):
        say("No report came. It is taken when it comes: in the application, or by brisk-anchor take.", err=True)
        raise typer.Exit(4)


@order_app.command("measure")
def measure(
    feature: Annotated[str, typer.Argument(help="A drawn feature.")],
    job: JobOption = None,
    times: Annotated[int, typer.Option("--times", min=1, max=50, help="Measure it so often, to see the spread.")] = 1,
    wait: WaitOption = 0.0,
) -> None:
    """Hand over the program that measures a drawn feature."""
    from brisk_anchor.services.measure.measurement_request import point_at

    orders = orders_of(job)
    session = orders.session
    known = [drawn.name for drawn in session.setup.features]
    if feature not in known:
        raise PlanError(f"The job has no feature {feature[:24]}", "", f"It has {', '.join(known)}")
    measurement = session.planner.measurement_of(point_at(session.setup, session.setup.drawn(feature)))
    order = orders.measure(measurement) if times == 1 else orders.repeat(measurement, times)
    _handed(orders, order, wait)


@order_app.command("store")
def store(
    row: Annotated[str, typer.Argument(help="The offset.")], job: JobOption = None, wait: WaitOption = 0.0
) -> None:
    """Hand over the program that sets an offset to what was measured."""
    orders = orders_of(job)
    orders.session.profile.row(row)
    _handed(orders, orders.store(row), wait)


@order_app.command("prove")
def prove(
    row: Annotated[str, typer.Argument(help="The offset.")], job: JobOption = None, wait: WaitOption = 0.0
) -> None:
    """Hand over the program that touches again what an offset is set from."""
    orders = orders_of(job)
    orders.session.profile.row(row)
    _handed(orders, orders.prove(row), wait)


@order_app.command("length")
def length(
    tool: Annotated[int, typer.Argument(min=1, help="Number of the tool; about how long it is must be known.")],
    job: JobOption = None,
    wait: WaitOption = 0.0,
) -> None:
    """Hand over the program that measures a tool's length on the setter."""
    orders = orders_of(job)
    _handed(orders, orders.tool_length(tool), wait)


@order_app.command("plan")
def plan(
    file: Annotated[Path, typer.Argument(help="A plan file.")], job: JobOption = None, wait: WaitOption = 0.0
) -> None:
    """Hand over the program of a plan."""
    from brisk_anchor.services.plan.plan_file import load_plan

    orders = orders_of(job)
    _handed(orders, orders.plan(load_plan(file)), wait)


@order_app.command("inspect")
def inspect(job: JobOption = None, wait: WaitOption = 0.0) -> None:
    """Hand over the program that measures what the drawing asks for; results take enters the part."""
    from brisk_anchor.services.results.inspection import Inspection
    from brisk_anchor.services.results.measuring import inspection_plan

    orders = orders_of(job)
    _handed(orders, orders.plan(inspection_plan(Inspection(orders.session))), wait)


@order_app.command("correct")
def correct(
    balloon: Annotated[str, typer.Argument(help="The characteristic's number on the drawing.")],
    job: JobOption = None,
    wait: WaitOption = 0.0,
) -> None:
    """Hand over the program that changes the wear or the offset that a characteristic asks for."""
    from brisk_anchor.core.errors import InspectionError
    from brisk_anchor.services.results.inspection import Inspection

    orders = orders_of(job)
    inspection = Inspection(orders.session)
    correction = inspection.correction(inspection.by_balloon(balloon))
    if correction is None or not correction.change:
        raise InspectionError(f"Nothing is to be corrected by {balloon}", correction.why if correction else "", "")
    _handed(orders, orders.correct(balloon, correction), wait)


@order_app.command("table")
def table(job: JobOption = None, wait: WaitOption = 0.0) -> None:
    """Hand over the program that prints the control's tables; it moves nothing."""
    orders = orders_of(job)
    _handed(orders, orders.read_table(), wait)


@order_app.command("list")
def list_orders(job: JobOption = None, as_json: JsonOption = False) -> None:
    """Programs that were handed over, and what came of each."""
    orders = orders_of(job)
    found = orders.folder.all()
    if as_json:
        keys = {"kind", "title", "program", "identity", "at", "state", "taken_at", "where", "told"}
        say(json.dumps([order.model_dump(mode="json", include=keys) for order in found]))
        return
    for order in found:
        when = order.at.astimezone().strftime("%Y-%m-%d %H:%M")
        say(f"{when}  {order.label}  {order.state.value:<9} {order.title}  {order.told}".rstrip())


def take(
    report: Annotated[
        Path, typer.Argument(help="What the control printed; or variables or a table it saved; - is standard input.")
    ],
    job: JobOption = None,
    units: Annotated[str | None, typer.Option("--units", help="mm or inch, of a table that does not say it.")] = None,
) -> None:
    """Take the reports of a file, or a table that the control saved: as the application does over a link."""
    from brisk_anchor.nc.bounded import read_at_most, why_unread
    from brisk_anchor.services.orders.saved_table import is_report, is_variables, take_table

    orders = orders_of(job)
    try:
        data = sys.stdin.buffer.read(_LONGEST) if str(report) == "-" else read_at_most(report, _LONGEST)
    except OSError as error:
        what = f"{report.name[:80]} cannot be read: {why_unread(error)}"
        raise ReportError(what, "Nothing was taken", "Check its name and place") from error
    if is_report(data) or is_variables(data):
        take_them = orders.take_file if is_report(data) else orders.take_variables
        good = [_tell(outcome) for outcome in take_them(data, report.name)]
        if not all(good):
            raise typer.Exit(2)
        return
    say(take_table(orders.session, report, units))


@machine_app.command()
def serve(
    folder: Annotated[
        Path | None,
        typer.Argument(help="Folder of a job, or a machine's file; its [link] is served. Left out: the demo's shop."),
    ] = None,
    roll: Annotated[int, typer.Option(min=0, help="Which real-life part lies in it; 0 as described.")] = 1,
    speed: Annotated[float, typer.Option(min=0.1, max=100_000, help="How many times faster it moves.")] = 6.0,
    auto: Annotated[bool, typer.Option("--auto", help="Load and start whatever arrives.")] = False,
) -> None:
    """Run the stand-in as a separate machine, with its panel in this terminal."""
    from brisk_anchor.cli.panel import run_panel
    from brisk_anchor.services.demo.demo_job import demo_shop
    from brisk_anchor.services.paths import data_folder, demo_folder
    from brisk_anchor.services.served.serving import ServedMachine

    folder = demo_shop(demo_folder() / "shop") if folder is None else folder
    machine = ServedMachine(folder, data_folder(), roll=roll, speed=speed, auto=auto)
    try:
        run_panel(machine)
    finally:
        machine.close()

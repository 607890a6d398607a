"""Pages about comparisons, written behind the window: about one pair, or about all raws of a shoot."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from psygnal import Signal

from bruto.catalog import tr
from bruto.compare.report import ReportContent as Page
from bruto.compare.report import write_report
from bruto.compare.shoot_report import Line, lines_of, summary, write_shoot_page
from bruto.compare.sources import Side, side_of
from bruto.output_planner import Outputs
from bruto.session.comparison import ComparisonSession
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.session.workers import Worker
from bruto.shoot.shots import Shot

ENDINGS = (".html", ".pdf", ".csv")


class ReportJobs:
    """A file that was chosen by its whole name is replaced, any other never."""

    message = Signal(str)
    notice = Signal(str)

    def __init__(self, comparing: ComparisonSession, render: Worker, tasks: LongTasks) -> None:
        self.comparing, self.tasks = comparing, tasks
        self._page = render.channel("page about both", 150)

    def _target(self, path: Path) -> tuple[Path, bool]:
        """Where a page goes, and whether that is the name that was asked about."""
        chosen = path.suffix.lower() in ENDINGS
        return (path if chosen else path.with_name(path.name + ".html")), chosen

    def _outputs(self, chosen: bool) -> Outputs:
        known = [file for s in self.comparing.shoot.shots for file in s.files]
        return Outputs(known, overwrite=chosen)

    def write_pair(self, path: Path, printed: Callable[..., None]) -> None:
        """Write a page about what is compared now.

        Parameters
        ----------
        path
            File to read.
        printed
            Prints HTML as PDF; None where there is no printer.
        """
        found = self.comparing.state
        if isinstance(found, str):
            self.message.emit(found)
            return
        where, chosen = self._target(path)
        outputs, matched = self._outputs(chosen), self.comparing.phone.matched

        def work() -> Path:
            target = outputs.file(where)
            write_report(target, Page(found.comparison, found.first, found.second, found.titles), matched, printed)
            return target.path

        self._page.ask(
            str(where), work, lambda made: self.notice.emit(tr("Saved {made}", made=made)), self.message.emit
        )

    def write_shoot(self, path: Path, printed: Callable[..., None]) -> None:
        """Compare every raw of the shoot with its picture and write a page about them.

        Stopped, the page tells of those that were compared.

        Parameters
        ----------
        path
            File to write.
        printed
            Prints HTML as PDF; None where there is no printer.
        """
        shoot, opened = self.comparing.shoot, self.comparing.opened
        values = opened.values()

        def pair(shot: Shot) -> Callable[[], tuple[Side, Side]]:
            raw, picture = shot.raw, shot.picture
            assert raw is not None and picture is not None
            return lambda: (side_of(raw, values(raw)), side_of(picture))

        pairs = [(s.name, pair(s)) for s in shoot.shots if s.raw and s.picture and not s.problem]
        if not pairs:
            self.message.emit(tr("This shoot has no raw with the phone's picture of the same moment."))
            return
        where, chosen = self._target(path)
        outputs, title = self._outputs(chosen), shoot.title
        task = LongTask("report", tr("Comparing raws with their pictures"), subject=where)

        def work() -> tuple[Path, list[Line], list[str]]:
            target = outputs.file(where)  # asked before the long work
            lines, problems = lines_of(pairs, task.tell, task.stopped)
            write_shoot_page(target, lines, problems, title, printed)
            return target.path, lines, problems

        def done(found: tuple[Path, list[Line], list[str]]) -> None:
            made, lines, problems = found
            rest = tr(" Not compared: {problems}", problems=problems[0]) if problems else ""
            (self.message if problems else self.notice).emit(
                tr("{summary} Saved {made}{rest}", summary=summary(lines), made=made, rest=rest)
            )

        self.tasks.start(task, work, done, self.message.emit)

"""All that a window is about: the shoot, the shots that are open, and what runs beside it. Free of any interface."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.catalog import tr, trn
from bruto.errors import BrutoError
from bruto.export.preset import ExportPreset
from bruto.export.queue import Job, Queue
from bruto.logbook.database import usual_logbook
from bruto.session.batch_edits import BatchEdits
from bruto.session.bulk_writer import Act, BulkWriter
from bruto.session.check_jobs import CheckJobs
from bruto.session.clip_jobs import ClipJobs
from bruto.session.comparison import ComparisonSession
from bruto.session.edit import Edit
from bruto.session.export_jobs import ExportProgress
from bruto.session.export_preview import export_previews
from bruto.session.grid import Grid
from bruto.session.handheld import HandheldKnowledge
from bruto.session.import_jobs import ImportJobs
from bruto.session.initial_edits import DEFAULTS, SUGGESTIONS, InitialEdits
from bruto.session.logbook import LogbookSession
from bruto.session.logbook_recorder import LogbookRecorder
from bruto.session.long_tasks import LongTasks
from bruto.session.measurement_queue import MeasurementQueue
from bruto.session.merge_jobs import MergeJobs
from bruto.session.open_shots import OpenShots
from bruto.session.plan_editor import PlanEditor
from bruto.session.practice import PracticeSession
from bruto.session.report_jobs import ReportJobs
from bruto.session.shoot import Shoot
from bruto.session.verdicts import judge
from bruto.session.workers import Post, Precedence, Worker
from bruto.shoot.shots import Shot
from bruto.shoot.sidecar import verdict_beside
from bruto.storage.atomic_write import usable_folder
from bruto.storage.settings import load_settings, save_settings


class Session:
    """One of it stands behind a window.

    `post`: see `work`. `render` makes pictures, `background` does long work, `writer` writes sidecars of shots
    that are not open.
    """

    message = Signal(str)
    """A problem, and what can be done."""
    notice = Signal(str)
    """Good news."""

    def __init__(self, post: Post) -> None:
        self.post = post
        self.shoot = Shoot()
        self.render, self.background = Worker("render", post), Worker("long work", post, Precedence.LONG)
        self.writer = Worker("sidecars", post, Precedence.PAGE)
        self.settings = load_settings()
        self.small = Worker("small pictures", post, Precedence.PAGE)  # every card has one before a picture is developed
        self.places = Worker("places", post, Precedence.PAGE)  # disks that answer late or never hold nothing else up
        self.starting = InitialEdits(self.settings.start != DEFAULTS, post)
        self.opened = OpenShots(self.render, self.starting)
        self.tasks = LongTasks(post)
        self.bulk = BulkWriter(self.writer, self.opened.edits, self.say)
        self.measuring = MeasurementQueue(self.shoot, post, self.tasks)
        self.comparing = ComparisonSession(self.opened, self.shoot, self.render, self.tasks)
        self.grid = Grid(self.comparing, self.render)
        self.reports = ReportJobs(self.comparing, self.render, self.tasks)
        self.comparing.blind.tally = self.settings.blind
        self.merging = MergeJobs(self.measuring.include, self.tasks, self.background, self.render, post)
        self.clips = ClipJobs(self.tasks)
        self.queue = Queue()
        self.exporting = ExportProgress(self.queue, self.tasks, post)
        self.batch_edits = BatchEdits(self.shoot, self.opened, self.bulk, self.tasks, post)
        self.logbook = LogbookRecorder(self.shoot, post)
        self.looking = LogbookSession(self.shoot, self.logbook, post)
        self.knowing = HandheldKnowledge(self.shoot, self.logbook, post, lambda: self.looking.place)
        self.plan_editor = PlanEditor(self.shoot, post, lambda: self.looking.place)
        self.practice = PracticeSession(post, usual_logbook)
        self.imports = ImportJobs(self.shoot, self.tasks, self.measuring)
        self.checking = CheckJobs(self.shoot, self.tasks)
        self.bulk.written.connect(self.starting.again)
        self.shoot.opened.connect(lambda: self.starting.follow(self.shoot.shots))
        self.starting.changed.connect(lambda: self.starting.follow(self.shoot.shots))
        self.shoot.current_changed.connect(lambda: self.opened.turn_to(self.shoot.current))
        for signal in (
            self.shoot.message,
            self.opened.message,
            self.measuring.problem,
            self.comparing.message,
            self.reports.message,
            self.batch_edits.message,
            self.logbook.problem,
            self.looking.message,
            self.plan_editor.message,
            self.practice.message,
            self.imports.message,
            self.checking.message,
        ):
            signal.connect(self.say)
        for teller in (self.reports, self.batch_edits, self.looking, self.plan_editor, self.imports, self.checking):
            teller.notice.connect(self.tell)

    def start_with(self, suggestions: bool) -> None:
        """Check whether shots that were never edited start with their suggestions, or with the default values.

        Parameters
        ----------
        suggestions
            Suggestions by field.
        """
        self.settings.start = SUGGESTIONS if suggestions else DEFAULTS
        self.starting.set_on(suggestions)
        self.save_settings()

    def say(self, text: str) -> None:
        """Tell the user something.

        Parameters
        ----------
        text
            Text to read.
        """
        self.message.emit(text)

    def tell(self, text: str) -> None:
        """Tell the user good news.

        Parameters
        ----------
        text
            Text to read.
        """
        self.notice.emit(text)

    def idle(self) -> bool:
        """Whether nothing is being made or written; measuring does not count."""
        some = (self.render, self.small, self.background, self.writer, self.plan_editor, self.practice, self.tasks)
        return all(w.idle() for w in some)

    def close(self) -> None:
        """Stop all work, after what is running has ended."""
        self.tasks.close()
        self.shoot.phones.keep()  # what could not be kept is learnt again from the files
        self.queue.close()
        self.measuring.close()
        self.starting.close()
        self.places.close(0.2)
        self.small.close()
        self.render.close()
        self.background.close()
        self.bulk.finish()
        self.logbook.finish()
        self.looking.finish()
        self.plan_editor.finish()
        self.knowing.finish()
        self.practice.finish()

    # -- changes of several shots

    def use_recipe(self, values: dict[str, Any], title: str, target: str) -> None:
        """Use values on the current shot, the selection, its set, all kept or all shots.

        Parameters
        ----------
        values
            Fields of the recipe with their new values.
        title
            Title for people.
        target
            Which shots: shot, selection, set, keep_or_best or all.
        """
        shot = self.shoot.current
        if shot is not None:
            self.batch_edits.use(values, f"recipe:{title}", self.shoot.targets(shot, target))

    @property
    def copied(self) -> dict[str, Any]:
        """Values that were copied, empty where none were."""
        return self.batch_edits.copied

    def save_settings(self) -> None:
        """Keep what the window remembers for the next one; a problem becomes a message."""
        try:
            save_settings(self.settings)
        except (BrutoError, OSError) as error:
            self.say(str(error))

    def judge(self, verdict: str, shots: list[Shot] | None = None) -> None:
        """Give shots a verdict, by themselves those that are selected.

        The one that all of them have is taken back.

        Parameters
        ----------
        verdict
            Verdict: discard, spare, keep, best, or "" for none.
        shots
            The shots concerned.
        """
        shots = [s for s in (self.shoot.selection if shots is None else shots) if not s.problem]
        if shots and all(self.shoot.verdicts.get(str(s.main), "") == verdict for s in shots):
            verdict = ""

        def use(edit: Edit) -> bool:
            return judge(edit, verdict=verdict)

        def done(count: int, problems: list[str]) -> None:
            if problems:
                self.message.emit(" ".join(problems[:2]))
                for shot in shots:  # what could not be written is not shown either
                    if str(shot.main) not in self.opened.edits:
                        self.shoot.set_verdict(shot, verdict_beside(shot.main))

        for shot in shots:
            self.shoot.set_verdict(shot, verdict)
        self.bulk.change(shots, use, done)

    def note(self, words: dict[str, str]) -> None:
        """Set a `note` or `gear`, or both, of all that is selected.

        Parameters
        ----------
        words
            Note or gear with their texts.
        """
        shots = [s for s in self.shoot.selection if not s.problem]

        def use(edit: Edit) -> bool:
            return judge(edit, **words)

        def done(count: int, problems: list[str]) -> None:
            if problems:
                self.message.emit(" ".join(problems[:2]))
            elif count > 1:
                self.notice.emit(trn("Saved for {count} shot.", "Saved for {count} shots.", count=count))

        self.bulk.change(shots, use, done)

    def note_gear(self, gear: str) -> None:
        """Note the gear of every shot of the current one's set.

        Parameters
        ----------
        gear
            Gear that was used.
        """

        def note(edit: Edit) -> bool:
            judge(edit, gear=gear)
            return True

        self._change(
            "set",
            note,
            lambda count: trn(
                "Saved the gear for {count} shot of the set.",
                "Saved the gear for {count} shots of the set.",
                count=count,
            ),
        )

    def _change(self, target: str, act: Act, notice: Callable[[int], str]) -> None:
        shot = self.shoot.current
        if shot is not None:

            def done(count: int, problems: list[str]) -> None:
                (self.message if problems else self.notice).emit(" ".join([notice(count), *problems[:2]]))

            self.bulk.change(self.shoot.targets(shot, target), act, done)

    # -- exporting

    def export_shots(self, folder: Path, suffix: str, preset: ExportPreset, shots: list[Shot]) -> None:
        """Queue shots, developed with their own values.

        Parameters
        ----------
        folder
            Folder concerned.
        suffix
            Suffix of the file name, with its point.
        preset
            How the picture is exported.
        shots
            The shots concerned.

        Raises
        ------
        BrutoError
            None is queued then.
        """
        self.opened.save()
        usable_folder(folder)
        wanted = [
            Job(w.shot.main, folder, w.name, w.recipe, preset)
            for w in export_previews(shots, self.opened.values(), suffix, preset.long_edge, sizes=False)
        ]
        if not wanted:
            raise BrutoError(tr("There is no shot to export. Choose one in the list."))
        self.queue.add(*wanted)

    # -- what would be lost

    def would_be_lost(self) -> list[str]:
        """Find what would be lost or cut short if all was closed now, each in a sentence."""
        self.exporting.refresh()
        found = self.tasks.losses()
        if unsaved := self.plan_editor.document.unsaved:
            found.append(
                tr(
                    "Changes to the plan are not saved and would be lost: {unsaved}",
                    unsaved=unsaved,
                )
            )
        lost = [e for e in self.opened.edits.values() if e.not_saved]
        for edit in lost[:3]:
            found.append(
                tr(
                    "Changes of {name} are not saved and would be lost: {not_saved}",
                    name=edit.path.name,
                    not_saved=edit.not_saved,
                )
            )
        if len(lost) > 3:
            found.append(tr("Changes to {lost_count} other shots would be lost, too.", lost_count=len(lost) - 3))
        return found

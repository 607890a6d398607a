"""All that a window is about: the shoot, the shots that are open, and what runs beside it. Free of any interface."""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from psygnal import Signal

from bruto.deliver.jobs import Job, Queue
from bruto.deliver.ticket import Ticket
from bruto.errors import BrutoError
from bruto.logbook.store import usual_place
from bruto.publish import usable_folder
from bruto.session.bulk import Act, Bulk
from bruto.session.clips import Clips, edited_values
from bruto.session.comparing import Comparing
from bruto.session.edit import Edit
from bruto.session.gauge import Gauge
from bruto.session.grid import Grid
from bruto.session.knowing import Knowing
from bruto.session.leaving import leaving
from bruto.session.looking_back import LookingBack
from bruto.session.merging import Merging
from bruto.session.open_shots import OpenShots
from bruto.session.planning import Planning
from bruto.session.practising import Practising
from bruto.session.remembering import Remembering
from bruto.session.reports import Reports
from bruto.session.shoot import Shoot
from bruto.session.starting import DEFAULTS, SUGGESTIONS, Starting
from bruto.session.unfinished import Unfinished
from bruto.session.using import Using
from bruto.session.work import Post, Worker
from bruto.shoot.shots import Shot
from bruto.shoot.sidecar import verdict_beside
from bruto.shoot.takein import TakenIn, take_in
from bruto.storage.remembered import keep_remembered, load_remembered


class Session:
    """One of it stands behind a window. `post`: see `work`. `render` makes pictures, `background` does long work,
    `writer` writes sidecars of shots that are not open.
    """

    message = Signal(str)
    """A problem, and what can be done."""
    told = Signal(str)
    """Good news."""
    taking_in = Signal(float, str)
    """Share that is taken in, and the file."""

    def __init__(self, post: Post) -> None:
        self.post = post
        self.shoot = Shoot()
        self.render, self.background, self.writer = (Worker(name, post) for name in ("render", "long work", "sidecars"))
        self.remembered = load_remembered()
        self.places = Worker("places", post)  # disks that answer late or never hold nothing else up
        self.starting = Starting(self.remembered.start != DEFAULTS, post)
        self.opened = OpenShots(self.render, self.starting)
        self.unfinished = Unfinished()
        self.bulk = Bulk(self.writer, self.opened.edits, self.say)
        self.gauge = Gauge(self.shoot, post)
        self.comparing = Comparing(self.opened, self.shoot, self.render, self.background, post)
        self.grid = Grid(self.comparing, self.render)
        self.reports = Reports(self.comparing, self.render, self.background, post)
        self.reports.told.connect(lambda text: self.told.emit(text))
        self.comparing.blind.tally = self.remembered.blind
        self.merging = Merging(self.shoot, self.background, self.render, self.unfinished, post)
        self.clips = Clips(self.background, post, edited_values)
        self.queue = Queue()
        self.using = Using(self.shoot, self.opened, self.bulk, self.background, post)
        self.using.told.connect(lambda text: self.told.emit(text))
        self.logbook = Remembering(self.shoot, post)
        self.looking_back = LookingBack(self.shoot, self.logbook, post)
        self.looking_back.told.connect(lambda text: self.told.emit(text))
        self.knowing = Knowing(self.shoot, self.logbook, post, lambda: self.looking_back.place)
        self.planning = Planning(self.shoot, post, lambda: self.looking_back.place)
        self.planning.told.connect(lambda text: self.told.emit(text))
        self.practising = Practising(post, usual_place)
        self._take_in = self.background.channel("taking in")
        self.bulk.written.connect(self.starting.again)
        self.shoot.opened.connect(lambda: self.starting.follow(self.shoot.shots))
        self.starting.changed.connect(lambda: self.starting.follow(self.shoot.shots))
        self.shoot.current_changed.connect(lambda: self.opened.turn_to(self.shoot.current))
        for signal in (
            self.shoot.message,
            self.opened.message,
            self.gauge.problem,
            self.comparing.message,
            self.reports.message,
            self.using.message,
            self.logbook.problem,
            self.looking_back.message,
            self.planning.message,
            self.practising.message,
        ):
            signal.connect(self.say)

    def start_with(self, suggestions: bool) -> None:
        """Whether shots that were never edited start with their suggestions, or with the default values."""
        self.remembered.start = SUGGESTIONS if suggestions else DEFAULTS
        self.starting.set_on(suggestions)
        self.remember()

    def say(self, text: str) -> None:
        """Tell the user something."""
        self.message.emit(text)

    def idle(self) -> bool:
        """Whether nothing is being made or written; measuring does not count."""
        some = (self.render, self.background, self.writer, self.planning, self.practising)
        return all(w.idle() for w in some)

    def close(self) -> None:
        """Stop all work, after what is running has ended."""
        self.merging.stop()
        self.shoot.keep_cards()  # what could not be kept is learnt again from the files
        self.queue.close()
        self.gauge.close()
        self.starting.close()
        self.places.close(0.2)
        self.render.close()
        self.background.close()
        self.bulk.finish()
        self.logbook.finish()
        self.looking_back.finish()
        self.planning.finish()
        self.knowing.finish()
        self.practising.finish()

    # -- changes of several shots

    def use_recipe(self, values: dict[str, Any], title: str, target: str) -> None:
        """Use values on the current shot, the selection, its set, all kept or all shots."""

        shot = self.shoot.current
        if shot is not None:
            self.using.use(values, f"recipe {title}", self.shoot.targets(shot, target))

    @property
    def copied(self) -> dict[str, Any]:
        """Values that were copied, empty where none were."""
        return self.using.copied

    def remember(self) -> None:
        """Keep what the window remembers for the next one; a problem becomes a message."""
        try:
            keep_remembered(self.remembered)
        except (BrutoError, OSError) as error:
            self.say(str(error))

    def judge(self, verdict: str, shots: list[Shot] | None = None) -> None:
        """A verdict on shots, those that are selected by themselves; the one that all of them have is taken back."""
        shots = [s for s in (self.shoot.selection if shots is None else shots) if not s.problem]
        if shots and all(self.shoot.verdicts.get(str(s.main), "") == verdict for s in shots):
            verdict = ""

        def use(edit: Edit) -> bool:
            return edit.judge(verdict=verdict)

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
        """A `note` or `gear`, or both, for all that is selected."""
        shots = [s for s in self.shoot.selection if not s.problem]

        def use(edit: Edit) -> bool:
            return edit.judge(**words)

        def done(count: int, problems: list[str]) -> None:
            if problems:
                self.message.emit(" ".join(problems[:2]))
            elif count > 1:
                self.told.emit(f"Noted for {count} shots.")

        self.bulk.change(shots, use, done)

    def note_gear(self, gear: str) -> None:
        """Note the gear of every shot of the current one's set."""

        def note(edit: Edit) -> bool:
            edit.judge(gear=gear)
            return True

        self._change("its set", note, lambda count: f"Gear noted for {count} shots of the set.")

    def _change(self, target: str, act: Act, told: Callable[[int], str]) -> None:
        shot = self.shoot.current
        if shot is not None:

            def done(count: int, problems: list[str]) -> None:
                (self.message if problems else self.told).emit(" ".join([told(count), *problems[:2]]))

            self.bulk.change(self.shoot.targets(shot, target), act, done)

    # -- taking in and delivering

    def take_in_from(self, source: Path, ended: Callable[[Any], None]) -> Callable[[], None] | None:
        """Copy what is new from a phone or card into the open folder, verified; returns what stops it.
        `ended` is called at its end, before it is told what came of it. None where no folder is open.
        """
        folder = self.shoot.folder
        if not self.shoot.paths:  # without a folder the files would land wherever the program was started
            self.message.emit("Open the folder that the files shall go to first (Ctrl+O).")
            return None
        stop = threading.Event()
        self.unfinished.begin("take in", source=str(source.absolute()), folder=str(folder.absolute()))

        def told(text: str, good: bool = False) -> None:
            self.unfinished.end("take in")
            ended(None)
            (self.told if good else self.message).emit(text)
            self.gauge.look()

        def done(result: TakenIn) -> None:
            text = f"{len(result.copied)} files copied and verified, {len(result.skipped)} were there already"
            if result.failed:
                text += f", {len(result.failed)} failed: {result.failed[0][1]}"
            told(text + ". Nothing was deleted.", good=not result.failed)

        def tell(share: float, text: str) -> None:
            self.post(lambda: self.taking_in.emit(share, text))

        self._take_in.ask(source, partial(take_in, source, folder, tell, stop.is_set), done, told)
        return stop.set

    def deliver(self, folder: Path, suffix: str, ticket: Ticket, shots: list[Shot]) -> None:
        """Queue shots, developed with their own values. Raises `BrutoError`; none is queued then."""
        self.opened.save()
        usable_folder(folder)
        wanted = [
            Job(w.shot.main, folder, w.name, w.recipe, ticket)
            for w in leaving(shots, self.opened.values(), suffix, ticket.long_edge, sizes=False)
        ]
        if not wanted:
            raise BrutoError("There is no shot to deliver: choose one in the list.")
        self.queue.add(*wanted)

    # -- what would be lost

    def would_be_lost(self) -> list[str]:
        """What would be lost or cut short if all was closed now, each in a sentence."""
        found = []
        waiting = len(self.queue.unfinished())
        if waiting:
            found.append(
                f"{waiting} {'delivery is' if waiting == 1 else 'deliveries are'} not finished: Deliver shows "
                f"{'it' if waiting == 1 else 'them'} again at the next start."
            )
        if self.merging.running:
            found.append("A merge is running: it is stopped and writes nothing.")
        if self.planning.unsaved:
            found.append(f"Changes of the plan are not saved and would be lost: {self.planning.unsaved}")
        lost = [e for e in self.opened.edits.values() if e.not_saved]
        for edit in lost[:3]:
            found.append(f"Changes of {edit.path.name} are not saved and would be lost: {edit.not_saved}")
        if len(lost) > 3:
            found.append(f"So are changes of {len(lost) - 3} other shots.")
        return found

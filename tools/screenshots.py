"""One picture of each main view, from the demo shoot: `./run shots [FOLDER]` (docs/screenshots when none is given).

The window is driven as a user would drive it: shots are chosen in the list, suggestions taken, tasks turned to.
"""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QApplication

from bruto.app.demo_day import demo_folder
from bruto.app.main import application
from bruto.app.stage.compare_stage import CompareMode
from bruto.app.widgets import theme
from bruto.app.window import Window
from bruto.develop.field_ui import GROUPS
from bruto.export import queue
from bruto.simphone.demo import make_demo
from bruto.simphone.demo_night import FIELD, take
from bruto.tasks import Task

ROOT = Path(__file__).resolve().parents[1]


class Photographer:
    """Drives one window and saves what it shows."""

    def __init__(self, folder: Path, shoot: Path) -> None:
        self.folder = folder
        self.app: QApplication = application()
        self.window = Window()
        self.window.resize(1280, 800)
        self.window.show()
        self.window.open_paths([str(shoot)], "Orrin Saltern, one day")
        self.settle()

    def settle(self, ready: Callable[[], bool] = lambda: True, seconds: float = 120) -> None:
        """Wait until nothing is being computed and `ready` holds."""
        end = time.monotonic() + seconds
        quiet = 0
        while time.monotonic() < end and quiet < 4:
            self.app.processEvents()
            time.sleep(0.03)
            starting = self.window.session.starting.worker
            idle = self.window.worker.idle() and self.window.background.idle() and starting.idle() and ready()
            quiet = quiet + 1 if idle else 0

    def choose(self, name: str) -> None:
        shot = next(s for s in self.window.shoot.shots if s.name == name)
        group = self.window.shoot.set_of(shot)
        self.window.shots.select(group.shots[0])
        self.settle()

    def save(self, name: str) -> None:
        self.settle()
        self.window.grab().save(str(self.folder / f"{name}.png"))


def main() -> int:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "docs/screenshots"
    folder.mkdir(parents=True, exist_ok=True)
    original = make_demo(demo_folder(), print)
    with tempfile.TemporaryDirectory() as temporary:
        os.environ["XDG_STATE_HOME"] = f"{temporary}/state"  # recent folders: none of the user's, and none for them
        shoot = Path(temporary) / "Orrin Saltern"
        shutil.copytree(original, shoot, ignore=shutil.ignore_patterns("*.bruto.json", "*-of-*", "finished"))
        p = Photographer(folder, shoot)
        w = p.window
        w.set_task(Task.INTAKE)
        p.choose("sluice-001-01")
        w.intake.board.select(w.shoot.current)  # type: ignore[arg-type]
        w.select("set")
        w.set_task(Task.SIDE_BY_SIDE)
        p.settle(lambda: all(pane.stage.developer is not None for pane in w.page(Task.SIDE_BY_SIDE).shown))
        w.page(Task.SIDE_BY_SIDE).stage.set_one_to_one()
        p.save("side-by-side")
        w.set_task(Task.KEYS)
        p.save("keys")
        w.set_task(Task.INTAKE)
        p.choose("pans-012")
        w.intake.board.select(w.shoot.current)  # type: ignore[arg-type]
        w.intake.clipped_button.setChecked(True)
        p.settle(lambda: w.measuring.idle() and len(w.shoot.reports) == sum(s.raw is not None for s in w.shoot.shots))
        p.save("intake")
        p.choose("boiling-house-030")
        w.intake.set_large(True)
        w.intake.sweep.setValue(30)
        p.save("intake-large")
        w.intake.set_large(False)
        w.intake.clipped_button.setChecked(False)
        w.set_task(Task.CORRECT)
        p.choose("pans-001")
        p.save("correct")
        w.correct.stage.set_one_to_one(QPointF(500, 140))
        p.save("correct-pixels")
        w.correct.stage.set_fit()
        ledger = w.correct.ledger
        for group in ledger.groups.values():
            group.set_open(group.name in ("hues", "local_contrast"))
        ledger.edit.change("hue node", hue_nodes=[{"hue": 245, "width": 60, "chroma": 1.35, "lightness": -6}])  # type: ignore[union-attr]
        p.settle()
        ledger.scroll_area.verticalScrollBar().setValue(ledger.groups["local_contrast"].y() - 40)
        p.save("correct-hues")
        ledger.edit.undo()  # type: ignore[union-attr]
        for name, _, opened in GROUPS:
            ledger.groups[name].set_open(opened)
        ledger.scroll_area.verticalScrollBar().setValue(0)
        p.choose("sluice-027")
        p.settle(lambda: w.correct.edit is not None and bool(w.correct.edit.suggestions))
        ledger.head.all_button.click()
        ledger.edit.versions.keep("as measured")  # type: ignore[union-attr]
        p.settle()
        for group in ledger.groups.values():
            group.set_open(group.name == "frame")
        ledger.frame_part.frame_button.setChecked(True)
        p.save("correct-frame")
        ledger.frame_part.frame_button.setChecked(False)
        for name, _, opened in GROUPS:
            ledger.groups[name].set_open(opened)
        p.choose("pans-001")
        w.set_task(Task.COMPARE)
        places = w.compare.places
        p.settle(lambda: bool(places.places) and len(places.pairs) == len(places.places))
        p.save("compare")
        w.compare.panel.look.find_button.click()
        p.settle(lambda: w.session.comparing.phone.matched is not None)
        w.compare.set_mode(CompareMode.CURTAIN)
        p.settle(lambda: w.compare.stage.names[0].endswith("look"))
        p.save("compare-look")
        p.choose("sluice-020")
        w.select("set")
        w.compare.set_mode(CompareMode.GRID)
        grid = w.compare.grid.view
        p.settle(lambda: len(grid.cells) == 4 and len(grid.images) == 4)
        p.save("compare-grid")
        w.set_task(Task.MERGE)
        p.choose("sluice-001-01")
        w.merge.go.click()
        p.settle(lambda: not w.merge.running.bar.isVisible() and w.merge.views_buttons["curtain"].isEnabled())
        p.save("merge")
        night = Path(temporary) / "Orrin Saltern, the night"
        night.mkdir()
        for k in range(FIELD):
            take("pump", {"frame": k}, night)
        w.open_paths([str(night)], "Orrin Saltern, the night")
        p.settle(lambda: len(w.merge.chart.judged) == FIELD)
        w.merge.go.click()
        p.settle(lambda: not w.merge.running.bar.isVisible() and w.merge.views_buttons["curtain"].isEnabled())
        p.save("merge-night")
        w.open_paths([str(shoot)], "Orrin Saltern, one day")
        p.settle()
        w.set_task(Task.EXPORT)
        p.choose("boiling-house-001-01")
        w.select("set")
        w.export.go.click()
        p.settle(lambda: all(j.state in (queue.DONE, queue.FAILED) for j in w.queue.jobs))
        p.save("export")
        w.set_task(Task.CORRECT)
        p.choose("sluice-001-01")
        w.correct.ledger.head.all_button.click()
        p.settle()
        w.top.toggle_theme()
        p.save("correct-dim")
        w.top.toggle_theme()
        w.open_paths([str(original)], "Orrin Saltern, one day")
        w.places.note()
        w.set_task(Task.START)
        p.settle(lambda: w.page(Task.START).cards[0].picture is not None)
        p.save("start")
        w.open_paths([str(shoot)], "Orrin Saltern, one day")
        p.settle()
        w.set_task(Task.LOGBOOK)
        noise = w.page(Task.LOGBOOK).plots.plots["noise"]
        p.settle(lambda: w.session.looking.state.count > 40 and len(noise.dots) > 30)
        p.save("logbook")
        plan_editor = w.session.plan_editor
        plan, sky = plan_editor.document, plan_editor.calculation
        w.set_task(Task.PLAN)
        p.settle(lambda: sky.sky is not None and plan_editor.idle())
        plan.choose(len(plan.plan.planned_shots) - 1)  # type: ignore[union-attr]
        p.settle(lambda: sky.picture is not None and sky.picture_of is plan.planned)
        p.save("plan")
        practice = w.session.practice
        w.set_task(Task.PRACTICE)
        p.settle(lambda: practice.idle())
        practice.choose("lamp")
        p.settle(lambda: practice.round is not None)
        practice.give(practice.round.right)  # type: ignore[union-attr]
        p.save("practice")
        w.close()
    theme.use(theme.LIGHT)
    return 0


if __name__ == "__main__":
    sys.exit(main())

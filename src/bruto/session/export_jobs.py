"""The queue of exports among the long tasks: one task as long as anything of it waits or runs."""

from __future__ import annotations

from bruto.catalog import tr, trn
from bruto.export.queue import DONE, Job, Queue
from bruto.session.long_tasks import LongTask, LongTasks
from bruto.session.workers import Post

EXPORT = "export"


class ExportProgress:
    """Shows how far a queue is; the queue itself runs its jobs."""

    def __init__(self, queue: Queue, tasks: LongTasks, post: Post) -> None:
        self.queue, self.tasks, self._post = queue, tasks, post
        self._task: LongTask | None = None
        self._batch: list[Job] = []
        self._told = False
        queue.changed.connect(self._changed)

    def _changed(self, job: Job) -> None:
        """Look at the queue once for all that changed meanwhile; called from any thread."""
        if not self._told:
            self._told = True
            self._post(self.refresh)

    def refresh(self) -> None:
        """Look at the queue now, on the interface thread."""
        self._told = False
        left = self.queue.unfinished()
        self._batch = [j for j in self._batch if j.unfinished() or j.state == DONE]
        self._batch += [j for j in left if j not in self._batch]
        if not left:
            self._batch = []
            if self._task is not None:
                self.tasks.end(self._task)
                self._task = None
            return
        if self._task is None:
            self._task = self.tasks.adopt(LongTask(EXPORT, tr("Exporting"), on_stop=self._cancel))
        self._task.loss_text = trn(
            "{count} export is not finished. Export shows it again at the next start.",
            "{count} exports are not finished. Export shows them again at the next start.",
            count=len(left),
        )
        self._task.tell(sum(j.progress for j in self._batch) / len(self._batch), left[0].output.name)

    def _cancel(self) -> None:
        for job in self.queue.unfinished():
            self.queue.cancel(job)

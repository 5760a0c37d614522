"""Running scans as jobs, in a thread of this process."""

import threading

from django.conf import settings
from django.db import close_old_connections, connection

from gulch.engine.document import load
from gulch.engine.flowsheet.variants import worked
from gulch.engine.scans import ScanError, run_scan
from gulch.engine.scans import settings as scan_settings
from gulch.web.projects.models import ScanRun


def start(row, scan_id, tears):
    """Begin a scan of a project's current revision; returns the ScanRun. Raises ScanError."""
    document = worked(load(row.current.document))
    scan = document.scan(scan_id)
    if scan is None:
        raise ScanError("The scan is gone: reload the page.")
    _, values, _ = scan_settings(document, scan)
    row.scan_runs.filter(scan=scan_id, state__in=[ScanRun.WAITING, ScanRun.RUNNING]).update(cancel=True)
    run = ScanRun.objects.create(project=row, revision=row.current, scan=scan_id, total=len(values))
    if settings.GULCH_JOBS_INLINE:
        work(run.pk, tears)
        run.refresh_from_db()
    else:
        threading.Thread(target=_thread, args=(run.pk, tears), daemon=True, name=f"scan-{run.pk}").start()
    return run


def _thread(pk, tears):
    close_old_connections()
    try:
        work(pk, tears)
    finally:
        connection.close()


def work(pk, tears):
    """Do one run and store its outcome; whatever happens, the run ends in a final state."""
    runs = ScanRun.objects.filter(pk=pk)
    run = runs.select_related("revision").get()
    document = worked(load(run.revision.document))
    runs.update(state=ScanRun.RUNNING)
    try:
        result = run_scan(
            document, document.scan(run.scan), start=tears,
            progress=lambda done, total: runs.update(done=done),
            cancelled=lambda: runs.values_list("cancel", flat=True).first() is not False,
        )  # fmt: skip
    except ScanError as error:
        runs.update(state=ScanRun.FAILED, why=str(error))
    except Exception:
        runs.update(state=ScanRun.FAILED, why="The scan stopped on a fault of Gulch's own; the process is unchanged.")
        raise
    else:
        runs.update(state=ScanRun.CANCELLED if result.cancelled else ScanRun.DONE, result=result.to_dict())


def abandon_unfinished():
    """Runs that were under way when the server stopped will not go on."""
    ScanRun.objects.filter(state__in=[ScanRun.WAITING, ScanRun.RUNNING]).update(
        state=ScanRun.FAILED, why="The server stopped while this scan ran: run it again."
    )

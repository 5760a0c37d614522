from __future__ import annotations
import os
done=set(); begun=False
def take(entry):
    global begun
    if os.environ.get("KMODE")=="plain":
        entry.run=entry.kernel.function; return
    import numba
    if os.environ.get("GENERIC"):
        numba.config.CPU_NAME="generic"; numba.config.CPU_FEATURES=""
    from gulch.engine.compiling import chapters, native
    folder=os.environ.get("KFOLDER","/tmp/kern")
    if not begun:
        begun=True
        for f in chapters.PARTS: native.part_of_callers(f)
        for f,k in chapters.KERNELS.items(): native.callable_by_name(f,k.symbol)
    def load(k):
        for c in k.calls:
            if c not in done: done.add(c); load(c)
        return native.make_entry(k,folder) if k is entry.kernel else native.make(k,folder)
    entry.run=load(entry.kernel)

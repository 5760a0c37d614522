"""One source for every kernel, run plain or as machine code.

A chapter (in `fluids`, `vessels` and `kernels` of other rooms) marks its functions by what `chapter` returns. Where the machine code of a
chapter and of all it calls lies ready, Python gets that; else the functions stay plain Python, which gives the same figures many times
slower. Nothing here compiles when it is imported: that is the work of `making`, in processes of its own.
"""

from gulch.engine.compiling import chapters, taking
from gulch.engine.compiling.chapters import Chapter, Cube, Flags, Matrix, Places, Vector, Ways, chapter

__all__ = ["Chapter", "Cube", "Flags", "Matrix", "Places", "Vector", "Ways", "chapter"]

chapters.taken_by.append(taking.take)

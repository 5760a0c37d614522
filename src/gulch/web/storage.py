"""Static files under hashed names, compressed where they go over a network."""

from __future__ import annotations

from typing import Any

from whitenoise.storage import CompressedManifestStaticFilesStorage


class Hashed(CompressedManifestStaticFilesStorage):
    """What our modules import from one another is found under its hashed name too. compressed: whether files are, when collected."""

    support_js_module_import_aggregation = True
    compressed = True

    def compress_files(self, names: Any) -> Any:
        """Compress files, which takes far longer than all else."""
        return super().compress_files(names) if self.compressed else ()

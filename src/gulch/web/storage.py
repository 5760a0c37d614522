"""Static files under hashed names, compressed."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class Hashed(CompressedManifestStaticFilesStorage):
    """What our modules import from one another is found under its hashed name too."""

    support_js_module_import_aggregation = True

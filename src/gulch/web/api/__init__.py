"""Projects over HTTP for programs: JSON in and out, with a token of the user's."""

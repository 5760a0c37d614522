"""What a vessel holds, along its length or over time, in compiled chapters: rates, heat and pressure, and how they are followed."""

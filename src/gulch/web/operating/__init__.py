"""Running the server: how it is, what it has done, and what of its data may go."""

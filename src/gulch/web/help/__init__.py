"""Help: pages made from the declarations of the engine, with examples from the demo projects."""

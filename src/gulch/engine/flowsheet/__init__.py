"""What is computed: the process as a graph, its order, its loops, its streams and results. Said of it is what `explain` says."""

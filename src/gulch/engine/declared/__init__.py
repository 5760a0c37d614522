"""What every kind of unit is made of: inputs, ports and results by declaration, what it may ask, and what it says."""

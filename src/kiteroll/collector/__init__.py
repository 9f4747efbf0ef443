"""The collector: reads the switches of a site there, and goes on for days without the centre."""

"""A simulated network that ships with Kite Roll: switches that learn, and agents that answer SNMP.

For the demo, the tests and the benchmarks. Everything in it is made up.
"""

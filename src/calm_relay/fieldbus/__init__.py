"""Devices in the field over SunSpec Modbus: a client that only reads, and the simulated site it is rehearsed with."""

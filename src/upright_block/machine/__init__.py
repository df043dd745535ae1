"""A compiled program with memory and a clock."""

from upright_block.machine.machine import Event, Fault, Machine, force_events
from upright_block.machine.trace import Trace

__all__ = ["Event", "Fault", "Machine", "Trace", "force_events"]

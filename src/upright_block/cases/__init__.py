"""Case files: reading them, running them, and what came of it."""

from upright_block.cases.plan import Plan
from upright_block.cases.runner import run_plans
from upright_block.cases.suite import Suite, choose, load_suite
from upright_block.cases.verdict import Miss, Verdict

__all__ = ["Miss", "Plan", "Suite", "Verdict", "choose", "load_suite", "run_plans"]

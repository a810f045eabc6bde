"""Judgement: turns a Job into a Plan of options, findings, mends and a choice."""

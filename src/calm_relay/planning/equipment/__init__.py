"""What a job may draw on: equipment by key, packs stacked into a bank, rules in force."""

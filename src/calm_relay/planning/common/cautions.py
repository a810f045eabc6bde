"""What every screen and report says where the work can hurt someone."""

CAUTIONS = (
    "This plan does not authorise work. Local codes, the network operator and licensed practice decide.",
    "Isolate and prove dead before touching mains or battery; never unplug a DC connector under load.",
    "Keep the battery's clearances and ventilation; no battery where floods or heat reach it.",
    "Work at height needs fall protection. Backfeed can kill line workers: backup needs a tested changeover.",
    "Rules shown are dated presets that can be edited; the local code is the authority over them.",
)

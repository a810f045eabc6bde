"""Voltage and current of every string against the input it is connected to."""

from math import floor

from calm_relay.physics.strings import cold_table_factor
from calm_relay.planning.findings.base import Finding, Mend, Severity, check


@check
def check_cold_voltage(subject):
    """A string must not exceed the inverter's or its modules' voltage when it is coldest."""
    box, temperatures = subject.design.pv_box, subject.ground.temperatures
    if box is None or not box.stringing.runs:
        return []
    run = max(box.stringing.runs, key=lambda run: run.cold_v(temperatures) / run.cold_limit[0])
    cold_v = run.cold_v(temperatures)
    limit_v, owner = run.cold_limit
    name = run.face.plan.name
    where = f"at {temperatures.cold_c:g} °C ({temperatures.cold_source})"
    table_v = _table_v(run, temperatures.cold_c)
    if cold_v <= limit_v:
        sentence = (
            f"Coldest string {cold_v:.0f} V under {limit_v:.0f} V {where}, margin {1 - cold_v / limit_v:.0%}."
        )
        severity, mends = Severity.HOLD, ()
        if table_v is not None and table_v > limit_v:
            severity = Severity.WATCH
            sentence = (
                f"{name}: {cold_v:.0f} V by its coefficient, {table_v:.0f} V by the table method; "
                f"the input ends at {limit_v:.0f} V {where}."
            )
    else:
        longest = floor(run.in_series * limit_v / cold_v)
        sentence = (
            f"{name}: {run.in_series} modules in series reach {cold_v:.0f} V {where}; "
            f"the input ends at {limit_v:.0f} V."
        )
        severity, mends = Severity.STOP, _shorter(subject, run, longest)
    if table_v is not None and table_v > cold_v and severity is Severity.HOLD:
        sentence += f" The table method gives {table_v:.0f} V."
    rule = f"{owner}; IEC 62548-1, 6.2"
    return [Finding("cold voltage", severity, "Strings", "faces", sentence, cold_v, limit_v, "V", rule, mends)]


def _table_v(run, cold_c):
    """Voltage by the crystalline silicon table, None where it does not apply."""
    if run.face.module.technology == "thin film" or cold_c < -40:
        return None
    return run.in_series * run.face.module.open_circuit_v * cold_table_factor(cold_c)


def _shorter(subject, run, longest):
    if longest < 1:
        return ()
    at = subject.job.faces.index(run.face.plan)

    def apply(job):
        face = job.faces[at]
        return job.with_(faces=(*job.faces[:at], face.with_(count=longest * face.strings), *job.faces[at + 1 :]))

    return (Mend(f"Use {longest} modules per string on {run.face.plan.name}", apply),)


@check
def check_input_fit(subject):
    """Every string needs an input, enough voltage when hot, and no more current than the input survives."""
    box, temperatures = subject.design.pv_box, subject.ground.temperatures
    if box is None:
        return []
    found = []
    if box.stringing.homeless:
        trackers = len(box.converter.pv.trackers)
        found.append(
            Finding(
                "tracker inputs",
                Severity.STOP,
                "Strings",
                "faces",
                f"{box.stringing.homeless} string(s) find no input: {box.converter.name} has {trackers} trackers, "
                "one for each orientation.",
                float(sum(face.strings for face in subject.job.faces)),
                float(sum(tracker.strings for tracker in box.converter.pv.trackers)),
                "strings",
                f"{box.converter.name}, datasheet",
            )
        )
    for run in box.stringing.runs:
        name, tracker = run.face.plan.name, run.tracker
        hot_v = run.hot_v(temperatures)
        edge = f"the tracker's lower edge of {tracker.mppt_low_v:.0f} V"
        if hot_v < tracker.mppt_low_v * 1.05:
            low = hot_v < tracker.mppt_low_v
            found.append(
                Finding(
                    "hot voltage",
                    Severity.STOP if low else Severity.WATCH,
                    "Strings",
                    "faces",
                    f"{name}: {hot_v:.0f} V with cells at {temperatures.hot_c:.0f} °C, "
                    f"{'below' if low else 'within 5% of'} {edge}.",
                    hot_v,
                    tracker.mppt_low_v,
                    "V",
                    f"{box.converter.name}, datasheet",
                )
            )
        if run.short_circuit_a > tracker.short_circuit_a:
            found.append(
                Finding(
                    "short-circuit current",
                    Severity.STOP,
                    "Strings",
                    "faces",
                    f"{name}: {run.short_circuit_a:.1f} A short-circuit; the input survives "
                    f"{tracker.short_circuit_a:.1f} A.",
                    run.short_circuit_a,
                    tracker.short_circuit_a,
                    "A",
                    f"{box.converter.name}, datasheet",
                )
            )
    return found

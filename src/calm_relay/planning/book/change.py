"""What may change for all jobs of a book at once: a tariff, a price list, a rule pack, the library."""

from pydantic import Field

from calm_relay.job.base import Identifier, Line, Model
from calm_relay.job.equipment import KINDS, Catalogue
from calm_relay.job.library import Library
from calm_relay.job.model import Job
from calm_relay.job.tariff import Costs, Tariff


class Change(Model):
    """What is changed in every job it is meant for; nothing: the jobs as they are.

    Attributes
    ----------
    tariff : Tariff or None
        In place of each job's own.
    on_tariff : str
        Name of the tariff a job must be on to get the new one; empty: every job in the new one's currency.
    costs : Costs or None
        Price list in place of each job's; metres of cable, and what example prices come to in its money, stay its own.
    region : str or None
        Rule pack in place of each job's.
    newest : bool
        Equipment as the library has it now, in place of the copies that jobs carry.
    """

    tariff: Tariff | None = None
    on_tariff: Line = Field(default="", max_length=80)
    costs: Costs | None = None
    region: Identifier | None = None
    newest: bool = False

    @property
    def is_none(self) -> bool:
        """Whether nothing is changed."""
        return self == Change()

    @property
    def words(self) -> str:
        """What is changed, in a line."""
        said = []
        if self.tariff is not None:
            whose = f" for those on {self.on_tariff}" if self.on_tariff else ""
            said.append(
                f"{f'tariff {self.tariff.name}' if self.tariff.name else 'a tariff without a name'}{whose}"
            )
        if self.costs is not None:
            said.append("price list")
        if self.region is not None:
            said.append(f"rule pack {self.region}")
        if self.newest:
            said.append("equipment as the library has it now")
        return ", ".join(said) or "nothing changed"


def changed(job: Job, change: Change, library: Library) -> Job:
    """A job under a change; as it is where the change is not meant for it.

    Parameters
    ----------
    job : Job
        The job.
    change : Change
        The change.
    library : Library
        Equipment and rule packs there are.

    Raises
    ------
    ValueError
        When the job cannot hold it.
    """
    tariff = change.tariff
    meant = not change.on_tariff or change.on_tariff.casefold() == job.tariff.name.casefold()
    if tariff is not None and meant and job.supply.on_grid and tariff.currency == job.tariff.currency:
        job = job.with_(tariff=tariff.with_(export_limit_kw=job.tariff.export_limit_kw))
    if change.costs is not None:
        job = job.with_(costs=change.costs.for_job_of(job.costs))
    if change.region is not None:
        job = job.with_(region=change.region)
    if change.newest:
        kept = {
            kind: tuple(item for item in getattr(job.own_equipment, kind) if not _has(library, kind, item.key))
            for kind in KINDS
        }
        job = job.with_(own_equipment=Catalogue(**kept))
    return job


def _has(library: Library, kind: str, key: str) -> bool:
    return any(item.key == key for item in getattr(library.catalogue, kind))

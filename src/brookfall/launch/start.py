"""Starts everything of a house, with the demo's data in it."""

import os
from collections.abc import Callable

from brookfall.launch.house import APPLICATION, House, workers_wanted


def start_whole(house: House, say: Callable[[str], None] = print) -> None:
    """Stores, schema, workers, web, demo data; ``say`` hears what goes on. This process shares its configuration."""
    say("Starting MariaDB and Redis …")
    house.start_stores()
    os.environ.update(house.environment)
    # Imported here: they read the configuration that was just made.
    from brookfall.demo.seed import seed
    from brookfall.records.database import migrate

    say("Bringing the database up to date …")
    migrate(house.owner_url, granted_to=APPLICATION)
    if house.mails:
        house.start_mail()
    if house.signs_in_by:
        house.start_provider()
    house.start_workers(workers_wanted())
    house.start_web()
    seed()

"""``python -m brookfall.launch demo|reset|verify``: what the Makefile calls."""

import os
import signal
import sys
import threading
from pathlib import Path

from brookfall.demo.people import known_to_provider
from brookfall.launch.house import House
from brookfall.launch.processes import StartError
from brookfall.launch.start import start_whole

PROJECT = Path(__file__).resolve().parents[3]


def main() -> None:
    command = sys.argv[1] if len(sys.argv) > 1 else "demo"
    try:
        if command == "demo":
            _demo(House(PROJECT, "demo", mails=True, signs_in_by=known_to_provider()))
        elif command == "reset":
            House(PROJECT, "demo").clear()
            print("The demo's data are gone; 'make demo' makes it new.")
        elif command == "verify":
            _verify(House(PROJECT, "demo"))
        else:
            sys.exit(f"unknown command {command}; commands are demo, reset, verify")
    except StartError as problem:
        sys.exit(f"Brookfall did not start: {problem}")


def _demo(house: House) -> None:
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    house.stop()
    try:
        start_whole(house)
        from brookfall.demo.seed import sign_ins

        print(f"\nBrookfall is at {house.address}\n")
        for line in sign_ins():
            print(f"  {line}")
        print("\nThey can sign in by a stand-in of the county's own too; so can Orrin Peel, who was never here.")
        print(f"\nWhat is mailed to them is put into {house.mail_folder}, and shown on the page Letters.")
        print("\nCtrl-C stops everything.", flush=True)
        while not stop.is_set():
            house.keeper.bring_up()
            stop.wait(1)
    finally:
        print("\nStopping …", flush=True)
        house.stop()


def _verify(house: House) -> None:
    os.environ.update(house.environment)
    from brookfall.cli import verify

    verify.main(args=[], prog_name="brookfall verify")


if __name__ == "__main__":
    main()

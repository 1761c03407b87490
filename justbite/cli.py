"""The command line: `justbite plan JOB --out DIR`, `justbite schema`, `justbite bench`."""

import argparse
import json
import sys
from pathlib import Path

from justbite.errors import InputError, JustBiteError
from justbite.grouping import all_by_depth
from justbite.model.job import Job
from justbite.model.parse import load_job
from justbite.summary import lines


def main(arguments: list[str] | None = None) -> int:
    """Exit code 0, or 2 with one sentence per fault on standard error and nothing written."""
    parser = argparse.ArgumentParser(prog="justbite", description="Constant-bite roughing.")
    commands = parser.add_subparsers(dest="command", required=True)
    planning = commands.add_parser("plan", help="plan a job file: NC program and report")
    planning.add_argument("job", type=Path)
    planning.add_argument("--out", type=Path, required=True)
    planning.add_argument("--part", type=Path, help="solid or mesh to hold the program against")
    planning.add_argument(
        "--by-depth", action="store_true", help="share areas out over operations by depth first, where that saves time"
    )
    commands.add_parser("schema", help="print the JSON Schema of the job file")
    bench = commands.add_parser("bench", help="print the engine's figures")
    bench.add_argument("--jobs", type=Path, help="a JSON list of jobs; areas made from seeds when left out")
    bench.add_argument("--count", type=int, default=12)
    bench.add_argument("--first", type=int, default=1, help="first seed")
    bench.add_argument("--odd", action="store_true", help="areas of the kinds that clearing is hard on")
    bench.add_argument("--odd-jobs", action="store_true", help="whole jobs with all that may be asked for, mixed")
    bench.add_argument("--odd-parts", action="store_true", help="whole jobs on solids, from the file to the proof")
    reading = commands.add_parser("read", help="read a part and tell its features")
    reading.add_argument("part", type=Path)
    reading.add_argument("--units", choices=["mm", "in"], help="what the file's numbers are, where it does not say")
    reading.add_argument("--join", type=float, default=None, help="mm of gap between a drawing's lines to bridge")
    reading.add_argument("--memory", type=float, help="give up above this many GB")
    reading.add_argument("--name", help="the name the file was given")
    reading.add_argument("--packed", type=Path, help="write what was read to this file, and tell nothing")
    chosen = parser.parse_args(arguments)
    if chosen.command == "bench":
        return _bench(chosen)
    if chosen.command == "schema":
        print(json.dumps(Job.model_json_schema(), indent=2))
        return 0
    try:
        if chosen.command == "read":
            return _read(chosen)
        return _plan(chosen.job, chosen.out, chosen.part, chosen.by_depth)
    except InputError as error:
        print("\n".join(error.faults), file=sys.stderr)
    except JustBiteError as error:
        print("\n".join([str(error), *getattr(error, "__notes__", ())]), file=sys.stderr)
    except OSError as error:
        print(f"{error.filename}: {error.strerror}.", file=sys.stderr)
    return 2


def _plan(job_file: Path, out: Path, part_file: Path | None, by_depth: bool) -> int:
    job = load_job(job_file.read_bytes())
    if by_depth:
        job = all_by_depth(job)
    # The kernels take a moment to load: only when there is something to plan.
    from justbite import tolerances
    from justbite.layout import corners_in
    from justbite.part.read import read_part
    from justbite.plan import plan

    corners = None
    if part_file is not None:
        part = read_part(part_file.read_bytes(), part_file.name, None, tolerances.JOIN, tolerances.CHORD)
        corners = corners_in(job, part)
    result = plan(job, _show if sys.stderr.isatty() else lambda share, what: None, corners)
    out.mkdir(parents=True, exist_ok=True)
    (out / "program.nc").write_text(result.program)
    (out / "report.json").write_text(json.dumps(result.report, indent=2))
    print("\n".join(lines(result.report)))
    return 0


def _bench(chosen: argparse.Namespace) -> int:
    from justbite import odd_jobs, odd_parts
    from justbite.bench import made_areas, run
    from justbite.odd import odd_areas

    if chosen.jobs:
        run(json.loads(chosen.jobs.read_text()), f"jobs of {chosen.jobs.name}", False)
        return 0
    seeds = range(chosen.first, chosen.first + chosen.count)
    if chosen.odd_jobs:
        odd_jobs.run(odd_jobs.whole_jobs(seeds), f"odd jobs, seeds {seeds[0]} to {seeds[-1]}")
        return 0
    if chosen.odd_parts:
        odd_jobs.run(odd_parts.odd_parts(seeds), f"odd parts, seeds {seeds[0]} to {seeds[-1]}")
        return 0
    data = list(odd_areas(seeds) if chosen.odd else made_areas(seeds))
    run(data, f"{'odd areas, ' * chosen.odd}seeds {seeds[0]} to {seeds[-1]}", not chosen.odd)
    return 0


def _read(chosen: argparse.Namespace) -> int:
    from justbite import tolerances
    from justbite.errors import PartError
    from justbite.part.read import read_part

    if chosen.memory:
        import resource

        most = int(chosen.memory * 1e9)
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
    join = tolerances.JOIN if chosen.join is None else chosen.join
    try:
        part = read_part(
            chosen.part.read_bytes(), chosen.name or chosen.part.name, chosen.units, join, tolerances.CHORD
        )
        packed = part.packed()
    except MemoryError:
        raise PartError("The part is too large to be read here.", "Export it coarser, or only what is cut.") from None
    if chosen.packed:
        chosen.packed.write_bytes(packed)
        return 0
    from justbite.layout import lay_out
    from justbite.model.placing import Placing

    for f in part.findings:
        print(f"{f.severity}: {f.sentence} {f.hint}")
    for feature in lay_out(part, Placing()).features.features:
        depth = f", {feature.depth:.4g} mm deep" if feature.depth else ""
        width = f", cutter up to {feature.largest_cutter:.4g} mm" if feature.largest_cutter else ""
        print(f"{feature.name}: {feature.area:.2f} mm²{depth}{width}{f', {feature.note}' if feature.note else ''}")
    return 0


def _show(share: float, what: str) -> None:
    end = "\n" if share >= 1 else ""
    print(f"\r{100 * share:5.1f} %  {what:<40}", end=end, file=sys.stderr, flush=True)


if __name__ == "__main__":
    sys.exit(main())

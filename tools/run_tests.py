#!/usr/bin/env python3
"""Builds and runs every test of the workspace in two lanes side by side: browser tests wait for the browser most of the time, kernels
compute. Prints what each test program says when it ends, then how long each took. Exit status 1 when one fails.

Usage: tools/run_tests.py [words that name test programs, such as browser or ectome_uv]
"""

import json
import os
import resource
import subprocess
import sys
import threading
import time

# Programs that wait for a browser, a server or another program more than they compute.
WAITING = {"browser"}


def built():
    """The test programs: name, path, folder of the package."""
    command = ["cargo", "test", "--workspace", "--locked", "--no-run", "--message-format=json-render-diagnostics"]
    cargo = subprocess.run(command, stdout=subprocess.PIPE, text=True, check=False)
    if cargo.returncode:
        sys.exit(cargo.returncode)
    programs = []
    for line in cargo.stdout.splitlines():
        message = json.loads(line)
        if message.get("executable") and message.get("profile", {}).get("test"):
            folder = os.path.dirname(message["manifest_path"])
            crate = os.path.basename(folder)
            target = message["target"]["name"]
            name = target if "lib" in message["target"]["kind"] else f"{crate}: {target}"
            programs.append((name, message["executable"], folder))
    return programs


def main():
    wanted = sys.argv[1:]
    begun = time.monotonic()
    programs = [p for p in built() if not wanted or any(w in p[0].replace("-", "_") for w in wanted)]
    print(f"Tests are built: {time.monotonic() - begun:.0f} s", flush=True)
    took, failed, said = [], [], threading.Lock()

    def run(name, command, folder, further=None):
        start = time.monotonic()
        environment = dict(os.environ, CARGO_MANIFEST_DIR=folder, **(further or {}))
        with subprocess.Popen(command, cwd=folder, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) as child:
            output = child.stdout.read()
            _, status, usage = os.wait4(child.pid, 0)
            child.returncode = os.waitstatus_to_exitcode(status)
        with said:
            print(f"\n     Running {name}\n{output}", flush=True)
            took.append((time.monotonic() - start, usage.ru_utime + usage.ru_stime, name))
            if child.returncode:
                failed.append(name)

    def lane(list_of_programs):
        for name, path, folder in list_of_programs:
            run(name, [path], folder)

    waits = [p for p in programs if p[0].split(": ")[-1] in WAITING]
    computes = [p for p in programs if p not in waits]
    lanes = [threading.Thread(target=lane, args=(side,)) for side in (waits, computes)]
    for thread in lanes:
        thread.start()
    for thread in lanes:
        thread.join()
    if not wanted:
        run("examples in the documentation", ["cargo", "test", "--workspace", "--locked", "--doc"], os.getcwd())

    print("\n seconds  processor  program")
    for seconds, cpu, name in sorted(took, reverse=True):
        print(f"{seconds:8.1f} {cpu:10.1f}  {name}")
    all_cpu = resource.getrusage(resource.RUSAGE_CHILDREN)
    print(f"{time.monotonic() - begun:8.1f} {all_cpu.ru_utime + all_cpu.ru_stime:10.1f}  all, the build included")
    if failed:
        print("Failed: " + ", ".join(failed))
    sys.exit(bool(failed))


main()

"""Loading the catalogue of stocks, in milliseconds of CPU time, medians of 7 in fresh loads."""

import statistics
import time

from olive_almanac.formats.catalogue import load_catalogue

RUNS = 7


def measure():
    times = []
    for _ in range(RUNS):
        load_catalogue.cache_clear()
        began = time.process_time()
        catalogue = load_catalogue()
        times.append(1000 * (time.process_time() - began))
    print(f"      {len(catalogue.stocks)} stocks")
    yield "loading the catalogue, ms", statistics.median(times), 30.0

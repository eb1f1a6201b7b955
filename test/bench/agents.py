"""The agents-only part of the month in SimPy: jobs of three classes arrive, ask for
an agent of a template with a ceiling, work, and give it back. It models no rounds,
nodes, images, caches, costs or reasons. Prints jobs a second."""

import random
import sys
import time

import simpy

CLASSES = [  # jobs an hour, median and 95th percentile of the work in s, ceiling
    (200, 360, 840, 160),
    (980, 80, 240, 300),
    (110, 180, 480, 60),
]


def job(env, agents, work, delays):
    asked = env.now
    with agents.request() as agent:
        yield agent
        delays.append(env.now - asked)
        yield env.timeout(5)  # start and join
        yield env.timeout(work)
        yield env.timeout(4)  # wipe


def arrivals(env, rate, mu, sigma, agents, delays, draw):
    while True:
        yield env.timeout(draw.expovariate(rate / 3600))
        env.process(job(env, agents, draw.lognormvariate(mu, sigma), delays))


def main():
    import math

    jobs = int(sys.argv[1])
    env, draw, delays = simpy.Environment(), random.Random(1), []
    for rate, median, p95, ceiling in CLASSES:
        mu = math.log(median)
        sigma = (math.log(p95) - mu) / 1.6448536269514722
        env.process(arrivals(env, rate, mu, sigma, simpy.Resource(env, ceiling), delays, draw))
    began = time.perf_counter()
    hours = jobs / sum(c[0] for c in CLASSES)
    env.run(until=hours * 3600)
    took = time.perf_counter() - began
    print(len(delays) / took)


main()

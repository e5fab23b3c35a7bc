"""Learned kinship: invented shops with heavy-tailed effects, more or less uneven than is usual, and
what each way says of subjects that were not burnt yet.
"""

import math

import numpy as np

from olive_almanac.core.fitting.kin_learning import (
    LEVELS,
    KinGroup,
    learn_kin,
    predict_kin,
    usual_kin,
)

SEED = 5150
SHOPS, GROUPS, NEW = 12, 80, 20
FREEDOM = 5
SOURCE = "co2"
UNEVEN = {
    "as is usual": np.ones(len(LEVELS)),
    "half as uneven": np.full(len(LEVELS), 0.5),
    "1.8 times as uneven": np.full(len(LEVELS), 1.8),
    "lots 2.5, machines 0.4": np.array([1, 1, 1, 1, 2.5, 0.4, 0.6, 0.6]),
}
FAMILIES = ("plywood", "hardwood", "mdf", "acrylic", "leather", "board")


def _subject(rng):
    number = min(int(rng.exponential(5)), 3 * len(FAMILIES) - 1)  # few stocks, often
    family = FAMILIES[number // 3]
    name = f"{family} {number % 3}"
    thick, lot = rng.choice(["3.0", "4.0", "6.0"], p=[0.5, 0.3, 0.2]), int(rng.integers(1, 7))
    machine = rng.choice(["a", "b", "c"], p=[0.5, 0.35, 0.15])
    colour = rng.choice(["light", "dark"], p=[0.8, 0.2])
    return (
        family,
        name,
        f"{name}|{colour}",
        f"{name}|{thick}",
        f"{name}|{thick}|{lot}",
        machine,
        f"{machine}|{int(rng.integers(1, 4))}",
        f"{machine}|{name}",
        SOURCE,
    )


def _shop(rng, uneven):
    """Groups that were burnt, and new subjects with their true energy."""
    sds = np.exp(np.array(usual_kin().log_sd)) * uneven * np.exp(rng.normal(0, 0.2, len(LEVELS)))
    effects, level = {}, rng.normal(0, 0.15)

    def energy(labels):
        total = level
        for k in range(len(LEVELS)):
            key = k, labels[k]
            if key not in effects:
                tail = rng.standard_t(FREEDOM) / math.sqrt(FREEDOM / (FREEDOM - 2))
                effects[key] = sds[k] * tail
            total += effects[key]
        return total

    groups = {}
    while len(groups) < GROUPS:
        labels = _subject(rng)
        sd = rng.uniform(0.03, 0.07)
        groups.setdefault(
            labels, KinGroup(labels, energy(labels) + rng.normal(0, sd), sd * rng.uniform(0.8, 1.3))
        )
    stocks, new = {labels[1] for labels in groups}, []
    while len(new) < NEW:
        labels = _subject(rng)
        if labels not in groups and labels not in new and labels[1] in stocks:
            new.append(labels)
    return list(groups.values()), new, np.array([energy(labels) for labels in new])


def _chain(groups, new, sds):
    """From the least to the most akin, each read with what the one before left, widened: what all
    kin are held against.
    """
    variance = 2 * np.exp(2 * np.array(sds.log_sd))
    means = []
    for labels in new:
        apart = [
            sum(variance[k] for k in range(7) if labels[k] != group.labels[k]) for group in groups
        ]
        mean, var = 0.0, 0.6**2
        for at in np.argsort(-np.array(apart)):
            gain = var / (var + groups[at].sd ** 2)
            mean += gain * (groups[at].energy - mean)
            var = var * (1 - gain) + apart[at]
        means.append(mean)
    return np.array(means)


def _log_score(truth, mean, sd):
    return -0.5 * ((truth - mean) / sd) ** 2 - np.log(sd)


def measure():
    rng = np.random.default_rng(SEED)
    for words, uneven in UNEVEN.items():
        held, scores, squares = [], [], []
        for _ in range(SHOPS):
            groups, new, truth = _shop(rng, uneven)
            usual, learnt = usual_kin(), learn_kin(groups)
            fixed, told = predict_kin(groups, new, usual), predict_kin(groups, new, learnt)
            held += list(np.abs(truth - told[0]) < 1.2816 * told[1])
            scores.append(np.mean(_log_score(truth, *fixed) - _log_score(truth, *told)))
            chain = _chain(groups, new, usual)
            squares.append([np.mean((truth - one) ** 2) for one in (told[0], chain)])
        share = float(np.mean(held))
        ratio = float(np.sqrt(np.mean([a for a, _ in squares]) / np.mean([b for _, b in squares])))
        print(f"      {words}: what holds 80 % held {share:.2f}; error {ratio:.2f} of the chain's")
        yield f"{words}: what holds 80 %, off 0.82", abs(share - 0.82), 0.08
        yield f"{words}: log score under that of fixed widths", float(np.mean(scores)), 0.05
        yield f"{words}: error over the chain's", ratio, 0.75

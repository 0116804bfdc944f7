"""A plain fit of the equations by ordinary least squares: the baseline that Firnel's own fit has to beat.

    python plain_fit.py [MACHINE …]        (needs numpy, scipy; reads tests/logs)

Fits each machine on its first batches (12 of 20, 8 of 14) and predicts the others from their exact moves, charge reading, lot facts and room,
without any live data. Prints, over the batches left out: median RMS of the bean probe after 90 s, and the median error in the time at which the
curve comes to the reading that the batch really had at yellow and at first crack.
"""
import csv, pathlib, sys
import numpy as np
from scipy.optimize import least_squares

LOGS = pathlib.Path(__file__).resolve().parents[1] / "tests" / "logs"
DT = 2.0                                  # s
CAPACITY = dict(west=0.5, south=1.0, north=2.5, east=3.0, mill=10.0, tower=30.0, harbour=1.0)
FULL = dict(west=3.5, south=10.0, north=5.0, east=10.0, mill=20.0, tower=5.0, harbour=100.0)     # top of the gauge


def read(row):
    d = np.genfromtxt(LOGS / f"{row['file']}.csv", delimiter=",", names=True); n = d.dtype.names
    c0 = float(row["charge_s"]); t = d[n[0]] - c0; end = float(row["drop_s"]) - c0; q = np.arange(0, end, DT); m = row["machine"]
    line = lambda col: np.interp(q, t[np.isfinite(col)], col[np.isfinite(col)])
    held = lambda col: col[np.clip(np.searchsorted(t, q, side="right") - 1, 0, len(t) - 1)]
    x = np.clip(held(d[n[3]]) / FULL[m], 0, 1); u = x if m == "harbour" else np.sqrt(x)
    at = lambda k: float(row[k]) - c0 if row[k] else np.nan
    return dict(q=q, bean=line(d[n[1]]), air=line(d[n[2]]), u=u, a=np.clip(held(d[n[4]]) / 100, 0, 1), kg=float(row["green_kg"]), cap=CAPACITY[m],
                moist=float(row["moisture_wet_basis"]), lot=(row["process"], round(float(row["density_g_per_l"]) / 40)), room=float(row["room_c"]), yellow=at("yellow_s"), crack=at("first_crack_s"))


NAMES = "P eps tauh Cm UAam UAl G leak nair hab hmb taup pull bare taua ash evap own lexp dexp st0".split()
SPREAD = dict(zip(NAMES, (.25, .5, .4, .35, .6, .8, .4, .5, .25, .5, .7, .5, .6, .6, .4, .6, .3, .5, .15, .25, 8.0)))   # of the logarithm; st0 in K


def guess(cap, electric):
    return dict(P=(3.2 if electric else 3.6) * cap**.93, eps=.4, tauh=35. if electric else 8., Cm=2.2 * cap**.9, UAam=.012 * cap**.8, UAl=.002 * cap**.8, G=.0125 * cap**.95, leak=.2, nair=1., hab=.011,
                hmb=.0015, taup=25., pull=.1, bare=.3, taua=15., ash=.15, evap=1., own=.6, lexp=.75, dexp=.6, st0=8.)


def simulate(p, S):
    """Bean and air probe, each (n, members); p and S hold one value a member."""
    n, M = S["u"].shape; kg, room = S["kg"], S["room"]; md = kg * (1 - S["moist"]); X = S["moist"] / (1 - S["moist"]) * np.ones(M)
    Tb, He, Tm, Tp, Ta = room.copy(), np.zeros(M), S["bean0"] + p["st0"] + p["dst"], S["bean0"].copy(), S["air0"].copy(); h = .35 * p["P"] * np.ones(M)
    ob, oa = np.empty((n, M)), np.empty((n, M)); f = kg / S["cap"]; pull = np.clip(p["pull"] + p["bare"] * np.maximum(0, .85 - f), 0, .8)
    for i in range(n):
        ob[i], oa[i] = Tp, Ta
        h = h + (S["u"][i] * p["P"] - h) * (1 - np.exp(-DT / p["tauh"])); G = p["G"] * (p["leak"] + (1 - p["leak"]) * S["a"][i] ** p["nair"]); W = 1.03 * G
        hA = p["hab"] * p["upt"] * kg * f ** (p["lexp"] - 1) * (G / p["G"]) ** p["dexp"]; hm = p["hmb"] * kg * f ** (p["lexp"] - 1)
        air = ((1 - p["eps"]) * h + W * room + hA * Tb + p["UAam"] * Tm) / (W + hA + p["UAam"]); qb = hA * (air - Tb) + hm * (Tm - Tb)
        k = np.minimum(4.32e9 * p["evap"] * p["ev"] * X**2 / 6.2**2 * np.exp(-9889 / (Tb + 273.15)), X / DT)
        Qr = 116200 * p["own"] * np.exp(-5500 / (Tb + 273.15)) * np.maximum(232 - He, 0) / 232; cb = 1.099 + .007 * Tb + 5 * X
        Tm = Tm + DT * (p["eps"] * h + p["UAam"] * (air - Tm) - hm * (Tm - Tb) - p["UAl"] * (Tm - room)) / p["Cm"]
        Tb = Tb + DT * (qb / md + Qr - 2790 * k) / cb; X = np.maximum(X - DT * k, 1e-4); He = He + DT * Qr
        Tp = Tp + ((1 - pull) * Tb + pull * air - Tp) * (1 - np.exp(-DT / p["taup"])); Ta = Ta + ((1 - p["ash"]) * air + p["ash"] * Tm - Ta) * (1 - np.exp(-DT / p["taua"]))
    return ob, oa


def stack(B, r=1):
    n = max(len(b["q"]) for b in B); pad = lambda v: np.pad(v, (0, n - len(v)), mode="edge")
    S = {k: np.tile(np.stack([pad(b[k]) for b in B], 1), (1, r)) for k in ("u", "a")} | {k: np.tile(np.array([b[k] for b in B], float), r) for k in ("kg", "moist", "room", "cap")}
    return S | dict(bean0=np.tile([b["bean"][0] for b in B], r), air0=np.tile([b["air"][0] for b in B], r))


def fit(B, electric):
    m = guess(B[0]["cap"], electric); lots = sorted({b["lot"] for b in B}); ix = np.array([lots.index(b["lot"]) for b in B]); nb, nl, k = len(B), len(lots), len(NAMES); N = k + nb + 2 * nl
    n = max(len(b["q"]) for b in B); at = np.arange(5, n, 5); seen = np.full((2, n, nb), np.nan)
    for j, b in enumerate(B): seen[0, :len(b["q"]), j], seen[1, :len(b["q"]), j] = b["bean"], b["air"]
    wide = np.where(at * DT < 90, 4., 1.)[:, None]

    def shared(Z, count):
        return {q: np.repeat(m[q] + SPREAD[q] * Z[:, i] if q == "st0" else m[q] * np.exp(SPREAD[q] * Z[:, i]), count) for i, q in enumerate(NAMES)}

    def rows(Z):
        r = len(Z); p = shared(Z, nb) | dict(dst=(10 * Z[:, k:k + nb]).ravel(), upt=np.exp(.06 * Z[:, k + nb:k + nb + nl])[:, ix].ravel(), ev=np.exp(.15 * Z[:, k + nb + nl:])[:, ix].ravel())
        ob, oa = (o[at].reshape(len(at), r, nb) for o in simulate(p, stack(B, r))); out = []
        for j in range(r):
            v = np.concatenate([((ob[:, j] - seen[0, at]) / (1.5 * wide)).ravel(), ((oa[:, j] - seen[1, at]) / (6 * wide)).ravel()]); v = v[np.isfinite(np.concatenate([seen[0, at].ravel(), seen[1, at].ravel()]))]
            out.append(np.concatenate([np.clip(np.nan_to_num(v, nan=50.), -50, 50) / 6**.5, Z[j]]))
        return np.array(out)

    jac = lambda z: (lambda r: ((r[1:] - r[0]) / 1e-3).T)(rows(np.vstack([z, z + 1e-3 * np.eye(N)])))
    z = least_squares(lambda z: rows(z[None])[0], np.zeros(N), jac=jac, max_nfev=25, loss="soft_l1").x
    of = lambda b, a, s: float(np.exp(s * z[a + lots.index(b["lot"])])) if b["lot"] in lots else 1.0
    return lambda T: simulate(shared(z[None], len(T)) | dict(dst=np.zeros(len(T)), upt=np.array([of(b, k + nb, .06) for b in T]), ev=np.array([of(b, k + nb + nl, .15) for b in T])), stack(T))[0]


if __name__ == "__main__":
    rows_ = list(csv.DictReader(open(LOGS / "batches.csv"))); med = lambda v: float(np.nanmedian(np.abs(v)))
    for name in sys.argv[1:] or sorted(CAPACITY):
        B = [read(r) for r in rows_ if r["machine"] == name and r["yellow_s"] and r["first_crack_s"]]; n = 8 if len(B) <= 14 else 12
        made = fit(B[:n], name == "harbour")(B[n:]); rms, ye, fc = [], [], []
        for j, b in enumerate(B[n:]):
            t = DT * np.arange(len(made)); late = b["q"] > 90; up = t > 100; rms.append(float(np.sqrt(np.mean((made[:len(b["q"]), j] - b["bean"])[late] ** 2))))
            come = lambda when: np.interp(np.interp(when, b["q"], b["bean"]), np.maximum.accumulate(made[up, j]), t[up]) - when
            ye.append(come(b["yellow"])); fc.append(come(b["crack"]))
        print(f"{name:8s} fitted on {n}, {len(B) - n} left out: bean RMS {np.median(rms):.1f} K, yellow {med(ye):.0f} s, first crack {med(fc):.0f} s (bias {np.nanmedian(fc):+.0f})", flush=True)

"""Recipes of more made-up people, for fitting and measuring the finder on faces it never met.

Read by ../shared/plates/make/plate.py in place of its own recipes (see render.sh): same keys, other people, and
light, exposure, age, skin and hair that the shipped five do not have. Every sitter is fictional.
"""
# ruff: noqa: C408 - recipes read best with their keys as plain words

import importlib.util
import os

import numpy as np

_MAKE = os.environ["PLATES_MAKE"]
_spec = importlib.util.spec_from_file_location("shipped_sitters", os.path.join(_MAKE, "sitters.py"))
shipped = importlib.util.module_from_spec(_spec)
_spec.loader.exec_module(shipped)
macro = shipped.macro


def _collar(height, slope, color, off=.05):
    return [dict(fn=lambda C, P: height + slope * np.abs(C[:, 0]) ** 1.2 - C[:, 1], col=color, off=off)]


def _smile(share):
    return {"faceunits/mouthSmileLeft": share, "faceunits/mouthSmileRight": share * .9}


def _lashes(length=.07, color=(.012, .009, .008)):
    return dict(kind="lashes", n=0, rad=.00042, length=length, col=color)


def _brows(color, thick=.034, n=1500):
    return dict(kind="brows", col=color, n=n, rad=.00055, thick=thick)


def _short(n=30000, length=.18, **more):
    return dict(dict(kind="short", n=n, rad=.00042, length=length, comb=(0, -.1, -1), lift=.35, jitter=.2,
                     clumps=1400), **more)


def _key(x, y, z, power, size=(9, 9), rgb=(1, .965, .92)):
    return dict(pos=[x, y, z], at=[0, 7, .8], size=list(size), rgb=list(rgb), power=power)


def _rim(x, power, rgb=(1, .97, .93)):
    return dict(pos=[x, 13, -9], at=[0, 7.4, 0], size=[3, 7], rgb=list(rgb), power=power)


SITTERS = {
    "ines": dict(
        seed=101, description="Ines: a made-up woman of about forty-five, olive skin, dark hair, hard light from the "
        "left, deep shadow on the other side.",
        targets={**macro({"caucasian": .7, "african": .15, "asian": .15}, "female", {"young": .7, "old": .3}),
                 "nose/nose-hump-incr": .2, "head/head-oval": .3, "eyes/l-eye-bag-incr": .35,
                 "eyes/r-eye-bag-incr": .4, "cheek/l-cheek-bones-incr": .2, "cheek/r-cheek-bones-incr": .2,
                 "mouth/mouth-laugh-lines-in": .25, **_smile(.15)},
        head=(6, 1, -1), arms=34, asym=.35, skin=(.52, .325, .225), lips=(.44, .16, .15), iris=(.10, .06, .03),
        iris2=(.18, .11, .05), gaze=(-1, 7.25, 20), freckles=.2, agespots=.2, detail=2.1, micro=1.0, dn=1.8,
        rough=-.01, spec=1.15, socket=1.2,
        cam=dict(pos=(-.4, 7.2, 21), at=(.0, 7.02, .6), height=3.6, aperture=.05),
        lights=[_key(-11, 9.5, 9, 950, (3.5, 3.5)), _key(13, 7, 9, 90, (12, 14), (.9, .95, 1)), _rim(9, 260),
                dict(env=[.025, .026, .03])],
        bg=([.16, .13, .12], [.05, .04, .04]), haircol=(.035, .020, .013), grain=.008,
        cloth=_collar(5.6, .5, (.30, .06, .05)),
        hair=[dict(kind="long", n=42000, rad=.00046, length=2.9, part=-.10, wave=.10),
              _brows((.025, .016, .012)), _lashes()]),
    "oskar": dict(
        seed=103, description="Oskar: a made-up man of about twenty-five, very fair freckled skin, ginger hair, flat "
        "light of an overcast day.",
        targets={**macro({"caucasian": 1.}, "male", {"young": 1.}), "head/head-rectangular": .2,
                 "nose/nose-width2-incr": .1, "chin/chin-width-incr": .2, **_smile(.3)},
        head=(-5, 2, 1), arms=34, asym=.35, skin=(.72, .49, .395), lips=(.53, .24, .22), iris=(.13, .17, .22),
        iris2=(.22, .25, .26), gaze=(.6, 7.25, 20), red=(1.03, .74, .71), redness=1.35, freckles=.6, detail=1.9,
        micro=.95, dn=1.8, spec=.95,
        cam=dict(pos=(.5, 7.2, 21), at=(.0, 7.05, .6), height=3.7, aperture=.05),
        lights=[_key(-5, 14, 13, 700, (16, 12), (.95, .98, 1)), _key(9, 10, 13, 520, (16, 14), (.95, .98, 1)),
                dict(env=[.14, .145, .155])],
        bg=([.45, .48, .50], [.30, .33, .36]), haircol=(.20, .075, .03), grain=.005,
        cloth=_collar(5.75, .45, (.20, .24, .20)),
        hair=[_short(26000, .22, col=(.20, .075, .03)), _brows((.16, .08, .04), .032),
              _lashes(.06, (.10, .06, .03))]),
    "mina": dict(
        seed=107, description="Mina: a made-up woman of about twenty-two, light skin, straight black hair, even "
        "light from above and below.",
        targets={**macro({"asian": 1.}, "female", {"young": 1.}), "head/head-oval": .4, "head/head-round": .1,
                 "mouth/mouth-lowerlip-volume-incr": .3, **_smile(.1)},
        head=(2, 0, 0), arms=34, asym=.2, skin=(.62, .425, .315), lips=(.50, .14, .15), iris=(.05, .03, .018),
        iris2=(.08, .045, .025), gaze=(0, 7.2, 20), redness=.7, freckles=.1, detail=1.6, micro=.75, dn=1.8,
        spec=1.2, rough=-.03,
        cam=dict(pos=(0, 7.1, 20), at=(.0, 7.08, .6), height=3.3, aperture=.05),
        lights=[_key(0, 12, 15, 560, (9, 6)), _key(0, 2.5, 14, 230, (9, 5)), _rim(9, 200), _rim(-9, 200),
                dict(env=[.06, .06, .062])],
        bg=([.72, .72, .72], [.55, .55, .56]), bgspot=(.5, .45, .8), haircol=(.010, .008, .008), grain=.004,
        cloth=_collar(5.5, .6, (.70, .69, .67)),
        hair=[dict(kind="long", n=46000, rad=.00046, length=3.4, part=.02, wave=.02),
              _brows((.02, .014, .011), .03), _lashes(.08)]),
    "dele": dict(
        seed=109, description="Dele: a made-up man of about fifty, very dark skin, cropped hair, hard light and a "
        "cool second light.",
        targets={**macro({"african": 1.}, "male", {"young": .6, "old": .4}), "chin/chin-width-incr": .2,
                 "mouth/mouth-laugh-lines-in": .35, "eyes/l-eye-bag-incr": .3, "eyes/r-eye-bag-incr": .3,
                 **_smile(.2)},
        head=(-8, 0, -2), arms=34, asym=.35, skin=(.105, .058, .038), lips=(.13, .055, .052), iris=(.04, .022, .013),
        iris2=(.06, .03, .016), gaze=(1, 7.25, 20), bounce=(.26, .14, .09), red=(1.10, .86, .82), redness=.6,
        freckles=.05, agespots=.3, spec=1.15, detail=2.0, micro=1.0, rough=-.02, scalptint=(.3, .28, .27), sss=.8,
        specmul=.7, dn=1.8, recede=.25, zonemul={3: (1.16, 1.0, .88), 4: (.74, .70, .70), 9: (.75, .72, .72)},
        wrinkles=[((0, 7.72, 1.25), (.48, .17, .7), 30., .005, (.05, 1, .05)),
                  ((.56, 7.27, 1.1), (.13, .14, .4), 44., .004, (.35, 1, 0)),
                  ((-.56, 7.27, 1.1), (.13, .14, .4), 44., .004, (-.35, 1, 0))],
        cam=dict(pos=(.6, 7.2, 21), at=(-.02, 7.05, .6), height=3.6, aperture=.05),
        lights=[_key(8, 10, 13, 1700, (3.2, 3.2), (1, .95, .88)), _key(-13, 7, 9, 420, (10, 12), (.82, .92, 1)),
                _rim(-8, 420, (.85, .93, 1)), dict(env=[.05, .052, .06])],
        bg=([.10, .12, .14], [.03, .035, .04]), haircol=(.012, .010, .009), greymix=.2, greycol=(.2, .2, .2),
        hairdense=1.2, grain=.009, cloth=_collar(5.85, .42, (.40, .40, .42), .06),
        hair=[_short(38000, .06, comb=(0, .1, -1), lift=.9, jitter=.35, clumps=0),
              _brows((.014, .010, .008), .036), _lashes(.05, (.008, .006, .005))]),
    "hanne": dict(
        seed=113, description="Hanne: a made-up woman of about seventy, fair skin with age spots, grey hair, window "
        "light from the side.",
        targets={**macro({"caucasian": 1.}, "female", {"young": .15, "old": .85}), "head/head-oval": .2,
                 "mouth/mouth-laugh-lines-in": .4, **_smile(.3)},
        head=(9, 1, -2), arms=34, asym=.4, skin=(.64, .43, .335), lips=(.47, .22, .20), iris=(.16, .2, .24),
        iris2=(.24, .27, .28), gaze=(-1, 7.25, 20), redness=1.1, freckles=.2, agespots=.8, detail=2.3, micro=1.05,
        dn=1.8, spec=1.05, socket=1.3,
        wrinkles=[((0, 7.72, 1.25), (.48, .17, .7), 34., .006, (.05, 1, .05)),
                  ((.56, 7.27, 1.1), (.13, .14, .4), 44., .0055, (.35, 1, 0)),
                  ((-.56, 7.27, 1.1), (.13, .14, .4), 44., .0055, (-.35, 1, 0)),
                  ((.30, 7.13, 1.35), (.16, .07, .4), 60., .0035, (-.2, 1, .1)),
                  ((-.30, 7.13, 1.35), (.16, .07, .4), 60., .0035, (.2, 1, .1)),
                  ((.42, 6.75, 1.2), (.18, .28, .5), 40., .004, (1, .35, 0)),
                  ((-.42, 6.75, 1.2), (.18, .28, .5), 40., .004, (-1, .35, 0)),
                  ((0, 6.62, 1.4), (.3, .12, .4), 70., .002, (1, 0, 0))],
        cam=dict(pos=(-.9, 7.2, 21), at=(.02, 7.0, .6), height=3.8, aperture=.05),
        lights=[_key(-13, 8.5, 9, 1000, (8, 12), (.94, .98, 1)), _key(13, 7, 8, 150, (12, 14), (1, .95, .88)),
                dict(env=[.05, .052, .056])],
        bg=([.26, .25, .23], [.13, .125, .12]), haircol=(.10, .095, .09), greymix=.9, greycol=(.34, .335, .33),
        grain=.007, cloth=_collar(5.6, .5, (.22, .27, .36)),
        hair=[_short(42000, .5, comb=(.2, -.5, -.8), lift=.3, jitter=.25), _brows((.20, .18, .16), .03, 1100),
              _lashes(.05, (.06, .05, .045))]),
    "ravi": dict(
        seed=127, description="Ravi: a made-up man of about thirty, brown skin, black hair and stubble, warm lamp "
        "light.",
        targets={**macro({"caucasian": .5, "african": .25, "asian": .25}, "male", {"young": .92, "old": .08}),
                 "nose/nose-scale-vert-incr": .15, "chin/chin-prominent-incr": .15, "head/head-oval": .3,
                 **_smile(.35)},
        head=(10, -1, 2), arms=34, asym=.3, skin=(.30, .165, .10), lips=(.27, .11, .09), iris=(.05, .03, .016),
        iris2=(.09, .05, .022), gaze=(-1, 7.25, 20), red=(1.05, .82, .78), redness=.8, freckles=.15, detail=2.1,
        micro=1.0, dn=1.8, spec=1.15, beardshade=.4, socket=1.3, scalpdark=.6,
        cam=dict(pos=(-.9, 7.2, 20), at=(.0, 7.05, .6), height=3.4, aperture=.05),
        lights=[_key(-8, 10, 14, 1050, (5, 5), (1, .88, .70)), _key(12, 6, 11, 330, (12, 12), (1, .92, .80)),
                _rim(9, 300, (1, .9, .75)), dict(env=[.05, .045, .035])],
        bg=([.22, .15, .09], [.08, .05, .03]), haircol=(.012, .010, .009), grain=.007,
        cloth=_collar(5.8, .45, (.08, .14, .16), .06),
        hair=[_short(34000, .24, lift=.55), _short(11000, .022, mask="beard", rad=.00036, col=(.02, .017, .015),
                                                   hrough=.3, comb=(0, -1, .2), lift=.9, jitter=.5, K=5, clumps=0),
              _brows((.014, .010, .008), .04, 1700), _lashes(.07)]),
    "lupe": dict(
        seed=131, description="Lupe: a made-up woman of about thirty, tanned skin, light-brown hair lit from behind, "
        "made up with red lips.",
        targets={**macro({"caucasian": .45, "asian": .35, "african": .2}, "female", {"young": .95, "old": .05}),
                 "head/head-round": .25, "cheek/l-cheek-volume-incr": .2, "cheek/r-cheek-volume-incr": .2,
                 "mouth/mouth-lowerlip-volume-incr": .4, "mouth/mouth-upperlip-volume-incr": .3, **_smile(.5)},
        head=(-14, 2, 5), arms=34, asym=.3, skin=(.44, .265, .175), lips=(.46, .075, .085), iris=(.09, .06, .025),
        iris2=(.17, .11, .05), gaze=(2, 7.3, 20), redness=.9, freckles=.35, detail=1.9, micro=.85, dn=1.8,
        spec=1.2, rough=-.02, exposure=1.12,
        cam=dict(pos=(1.2, 7.1, 21), at=(-.02, 7.0, .6), height=3.9, aperture=.05),
        lights=[_key(7, 9, 15, 800, (10, 10)), _rim(-9, 900, (1, .92, .8)), _rim(9, 700, (1, .92, .8)),
                dict(env=[.10, .105, .11])],
        bg=([.50, .54, .50], [.34, .40, .36]), bgspot=(.4, .4, .7), haircol=(.11, .06, .03), grain=.006,
        cloth=_collar(5.45, .6, (.62, .60, .55)),
        hair=[dict(kind="long", n=44000, rad=.00044, length=3.2, part=.12, wave=.12),
              _brows((.05, .03, .02)), _lashes(.085)]),
    "kit": dict(
        seed=137, description="Kit: a made-up child of about eight, light-brown skin, dark hair, one soft window.",
        targets={**macro({"caucasian": .55, "african": .3, "asian": .15}, "male", {"child": 1.}),
                 "head/head-round": .15, **_smile(.45)},
        scale=1.12, cut=2.5, head=(5, 0, -3), arms=32, asym=.3, skin=(.46, .285, .20), lips=(.43, .185, .165),
        iris=(.07, .04, .02), iris2=(.12, .07, .035), gaze=(-.5, 7.25, 20), redness=1.0, freckles=.3, detail=1.1,
        micro=.6, dn=1.8, spec=1.0, sss=1.1,
        cam=dict(pos=(-.5, 7.25, 20), at=(.0, 7.05, .5), height=3.3, aperture=.05),
        lights=[_key(-9, 10, 12, 900, (10, 12), (.97, .98, 1)), _key(12, 7, 12, 300, (12, 14), (1, .96, .9)),
                dict(env=[.08, .08, .08])],
        bg=([.36, .42, .48], [.20, .24, .28]), haircol=(.03, .018, .012), grain=.006,
        cloth=_collar(5.75, .5, (.60, .30, .10)),
        hair=[_short(36000, .26, lift=.4, jitter=.25), _brows((.03, .02, .014), .03, 1200), _lashes(.075)]),
    "bako": dict(
        seed=139, description="Bako: a made-up man of about forty, deep brown skin, full black beard, hard light that "
        "burns on forehead and cheek.",
        targets={**macro({"african": .9, "caucasian": .1}, "male", {"young": .8, "old": .2}),
                 "chin/chin-width-incr": .2, "eyes/l-eye-bag-incr": .3, "eyes/r-eye-bag-incr": .3, **_smile(.2)},
        head=(7, 0, 2), arms=34, asym=.35, skin=(.15, .082, .052), lips=(.16, .07, .06), iris=(.04, .022, .013),
        iris2=(.06, .03, .016), gaze=(-1, 7.25, 20), bounce=(.26, .14, .09), red=(1.08, .86, .82), redness=.6,
        freckles=.15, agespots=.2, spec=1.7, detail=2.0, micro=1.0, rough=-.05, beardshade=.55,
        scalptint=(.3, .28, .27), sss=.85, dn=1.8,
        zonemul={3: (1.16, 1.0, .88), 4: (.74, .70, .70), 9: (.75, .72, .72)},
        cam=dict(pos=(-.6, 7.2, 21), at=(.02, 7.0, .6), height=3.7, aperture=.05),
        lights=[_key(-7, 10, 13, 2500, (2.6, 2.6), (1, .96, .9)), _key(13, 7, 9, 300, (10, 12), (.85, .93, 1)),
                dict(env=[.05, .052, .058])],
        bg=([.34, .33, .31], [.16, .155, .15]), bgspot=(.35, .6, .5), haircol=(.010, .009, .008), hairdense=1.2,
        grain=.008, cloth=_collar(5.8, .42, (.42, .36, .28), .06),
        hair=[_short(38000, .07, comb=(0, .1, -1), lift=.9, jitter=.35, clumps=0),
              _short(26000, .16, mask="beard", rad=.00040, col=(.012, .010, .009), hrough=.3, comb=(0, -1, .25),
                     lift=.7, jitter=.5, K=5, clumps=900),
              _brows((.012, .009, .008), .04, 1700), _lashes(.05, (.008, .006, .005))]),
    "sten": dict(
        seed=149, description="Sten: a made-up man of about thirty-five, fair skin, full brown beard, hair that stands "
        "off, before a softly cloudy backdrop.",
        targets={**macro({"caucasian": 1.}, "male", {"young": .9, "old": .1}), "head/head-oval": .2,
                 "nose/nose-scale-vert-incr": .1, **_smile(.25)},
        head=(-6, 1, -1), arms=34, asym=.3, skin=(.60, .40, .31), lips=(.46, .21, .19), iris=(.13, .17, .19),
        iris2=(.22, .24, .22), gaze=(.6, 7.25, 20), red=(1.03, .78, .74), redness=1.0, freckles=.25, detail=2.0,
        micro=1.0, dn=1.8, spec=1.05, beardshade=.35,
        cam=dict(pos=(.6, 7.2, 21), at=(.0, 7.0, .6), height=3.8, aperture=.05),
        lights=[_key(9, 10, 13, 950, (7, 7)), _key(-12, 7, 10, 260, (12, 14), (.94, .97, 1)), _rim(-8, 420),
                dict(env=[.06, .062, .066])],
        bg=([.40, .42, .40], [.18, .20, .20]), bgspot=(.6, .4, .6), haircol=(.07, .04, .022), grain=.006,
        cloth=_collar(5.7, .45, (.16, .20, .28), .06),
        hair=[_short(30000, .34, lift=.6, jitter=.5),
              _short(24000, .20, mask="beard", rad=.00040, col=(.06, .033, .018), hrough=.3, comb=(0, -1, .2), lift=.6,
                     jitter=.5, K=5, clumps=900),
              _brows((.05, .03, .018), .036, 1500), _lashes(.06, (.05, .03, .02))]),
}

"""Lives, cases that are won or lost, and cues: each beside a slow model of the events."""

import unittest

import nivvo
from nivvo.core.numbers.clock import from_seconds
from nivvo.errors import DrillError
from nivvo.play.questions.decided import to_no_effect

TEXT = """nivvo = 1
tick.rate = {rate}
[shooter.keeper]
at = [0, 0]
shape.ball = 0.4
health = 10
{lives}
[shooter.rival]
at = [20, 0]
facing = "left"
shape.ball = 0.4
group = "rivals"
[ability.dart]
shooter = "keeper"
launch.speed = 40
flight.gravity_share = 0
on.wisps = {{ then = "end", damage = 4, score.points = 10 }}
[ability.stone]
shooter = "rival"
firing.button = "throw"
launch.speed = 40
flight.gravity_share = 0
muzzle = "hand"
on.shooters.damage = 12
on.wisps.then = "ignore"
{more}
[target.wisp]
at = [6, 0]
shape.ball = 0.5
group = "wisps"
health = {health}
[case.tap]
input = [{input}]
{case}
"""


def made(**keys):
    base = {"rate": 60, "lives": "", "more": "", "health": 12, "case": "", "input": taps("fire", 0)}
    text = TEXT.format(**{**base, **keys})
    return nivvo.parse(text.replace("[ability.dart]", "[shooter.rival.muzzle.hand]\nforward = 0.6\n[ability.dart]", 1))


def taps(button, *times):
    return ", ".join(f'{{ t = {t}, tap = "{button}" }}' for t in times)


def events(run, what):
    return [row for row in run.rows("events") if row["what"] == what]


class Lives(unittest.TestCase):
    def test_it_comes_back_to_its_place_with_all_its_health_until_the_last(self):
        for rate in (30, 60, 144):
            run = nivvo.fire(made(rate=rate, lives="lives = 3\nback_after = 0.4", input=taps("throw", 0, 1, 2, 3)))
            outs, backs = events(run, "out"), events(run, "came back")
            self.assertEqual([row["detail"] for row in backs], ["2 lives left", "1 life left"])
            self.assertEqual(len(outs), 3)
            for out, back in zip(outs, backs, strict=False):
                self.assertGreaterEqual(back["time"], out["time"] + 0.4 - 1e-9)
                self.assertLess(back["time"], out["time"] + 0.4 + 1.0 / rate)
            # Who is out fires nothing, and is hit by nothing.
            self.assertEqual(len([row for row in run.rows("contacts") if row["body"] == "keeper"]), 3)

    def test_who_is_out_for_good_fires_no_more(self):
        both = taps("throw", 0) + ", " + taps("fire", 1, 2)
        self.assertEqual(len(events(nivvo.fire(made(input=both)), "fired")), 1)
        run = nivvo.fire(made(lives="lives = 2", input=both))
        self.assertEqual(len(events(run, "fired")), 3)
        self.assertEqual([nivvo.measure(run, name, "keeper")[0] for name in ("damage", "health")], [12, 10])


class Decided(unittest.TestCase):
    def test_by_score_by_who_is_out_and_by_time_and_it_stops_there(self):
        many = taps("fire", *(0.3 * k for k in range(8)))
        for goal, word, why in (
            ("won.score = 20", "won", "a score of 20"),
            ("won.out = 'wisps'", "won", "all of wisps are out"),
            ("lost.time = 0.5", "lost", "0.5 s have gone"),
            ("won.score = 1000\nlost.time = 0.7", "lost", "0.7 s have gone"),
        ):
            run = nivvo.fire(made(case=goal, input=many))
            self.assertEqual((run.decided.word, run.decided.why), (word, why))
            last = events(run, f"case {word}")[0]["time"]
            self.assertLessEqual(max(row["time"] for row in run.rows("events")), last + 1e-9)
            hits = len(run.rows("contacts"))
            self.assertEqual(hits, {"a score of 20": 2, "all of wisps are out": 3}.get(why, hits))

    def test_lost_comes_before_won_and_lives_count(self):
        duel = taps("fire", 0) + ", " + taps("throw", 0)
        run = nivvo.fire(made(lives="lives = 2", case="lost.out = 'shooters'", input=duel))
        self.assertIsNone(run.decided)
        run = nivvo.fire(made(lives="lives = 2", case="lost.out = 'shooters'", input=taps("throw", 0, 1)))
        self.assertEqual(run.decided.word, "lost")
        self.assertEqual(nivvo.check(made(case="lost.out = 'shooters'\ncheck = [{ never = 'case lost' }]",
                                          input=taps("throw", 0)))[0].passed, False)  # fmt: skip

    def test_live_tells_it_and_goes_on(self):
        live = nivvo.Live(made(case="won.score = 10"))
        live.press("fire")
        for _ in range(30):
            live.step()
        time, word, why = live.decided
        self.assertEqual((word, why), ("won", "a score of 10"))
        self.assertLess(time, 0.3)
        before = live.tick
        live.step()
        self.assertEqual(live.tick, before + 1)
        told = []
        live = nivvo.Live(made(case="won.time = 0.31\nlost.time = 0.6"))
        for k in range(40):
            self.assertEqual(live.decided is not None, live.time >= 0.31, k)
            if k == 30:
                live.press("fire")
            told += live.step()
        self.assertEqual(live.decided, (0.31, "won", "0.31 s have gone"))
        self.assertIn("fired", [event.what for event in told])

    def test_a_time_after_the_case_is_over_decides_nothing_and_is_told(self):
        drill = made(case="lasts = 1\nlost.time = 1.5")
        run = nivvo.fire(drill)
        self.assertEqual((run.decided, run.until), (None, from_seconds(1)))
        self.assertTrue(any("lost.time = 1.5 s is never reached" in line for line in to_no_effect(drill, run)))


def slow(times, lasts, most, oldest):
    """Which cues are whole, cut short or refused, by looking at every one for every other."""
    out = [[time, time + lasts, "whole"] for time in times]
    for k, one in enumerate(out):
        sounding = [other for other in out[:k] if other[2] != "refused" and other[1] > one[0]]
        if len(sounding) >= most:
            if oldest:
                sounding[0][1:] = [one[0], "cut short"]
            else:
                one[1:] = [one[0], "refused"]
    return out


class Cues(unittest.TestCase):
    CUE = "[cue.thud]\non = '{on}'\n{who}lasts = 0.5\nat_once = {most}\nwhen_full = '{full}'\n"

    def test_only_so_many_sound_at_once_and_live_tells_the_same(self):
        times = (0.0, 0.1, 0.25, 0.3, 0.7, 0.75, 1.6)
        for on, who in (("fired", ""), ("hit", "group = 'wisps'\n"), ("fired", "ability = 'stone'\n")):
            for most in (1, 2):
                for full in ("refuse", "stop oldest"):
                    cue = self.CUE.format(on=on, who=who, most=most, full=full)
                    drill = made(more=cue, health=1000, input=taps("fire", *times))
                    run = nivvo.fire(drill)
                    asked = [row["time"] for row in (run.rows("contacts") if on == "hit" else run.rows("shots"))]
                    expected = [] if "stone" in who else slow(asked, 0.5, most, full == "stop oldest")
                    found = [[row["time"], row["until"], row["heard"]] for row in run.rows("cues")]
                    self.assertEqual([one[2] for one in found], [one[2] for one in expected], (on, most, full))
                    for one, other in zip(found, expected, strict=True):
                        self.assertAlmostEqual(one[1], other[1], places=9)
                    live, told = nivvo.Live(drill, compiled=False), []
                    for k in range(150):
                        for time in times:
                            if round(time * 60) == k and abs(time * 60 - k) < 0.01:
                                live.tap("fire")
                            elif k == int(time * 60) and abs(time * 60 - round(time * 60)) >= 0.01:
                                live.tap("fire", at=time)
                        told += [event.detail for event in live.step() if event.what == "cue"]
                    for word in ("refused", "cut short"):
                        count = sum(one[2] == word for one in expected)
                        self.assertEqual(sum(one.endswith(word) for one in told), count, (on, most, full, word))

    def test_full_charges_and_expired_shots_have_theirs(self):
        more = """firing = { kind = "charge", full_after = 0.5, button = "throw" }
limits.life = 0.2
[cue.ready]
on = "full"
lasts = 1
[cue.fizz]
on = "expired"
lasts = 0.1
"""
        text = TEXT.format(rate=60, lives="", more="", health=12, case="",
                           input='{ t = 0, hold = "throw", held = 1.0 }')  # fmt: skip
        text = text.replace('firing.button = "throw"\n', more.partition("[cue")[0]).replace("[target.wisp]", more[
            more.index("[cue"):] + "[target.wisp]").replace('muzzle = "hand"\n', "")  # fmt: skip
        run = nivvo.fire(nivvo.parse(text))
        found = [(row["cue"], round(row["time"], 9)) for row in run.rows("cues")]
        self.assertEqual(found, [("ready", 0.5), ("fizz", 1.2)])
        live = nivvo.Live(nivvo.parse(text), compiled=False)
        live.press("throw")
        told = []
        for k in range(90):
            if k == 60:
                live.release("throw")
            told += [event.detail for event in live.step() if event.what == "cue"]
        self.assertEqual(told, ["ready: whole", "fizz: whole"])

    def test_what_makes_no_sense_is_told(self):
        for keys, says in (
            ({"more": "[cue.x]\non = 'fird'\nlasts = 1\n"}, "fired"),
            ({"more": "[cue.x]\non = 'hit'\ngroup = 'wasps'\nlasts = 1\n"}, "wisps"),
            ({"more": "[cue.x]\non = 'fired'\ngroup = 'wisps'\nlasts = 1\n"}, "no body"),
            ({"more": "[cue.x]\non = 'fired'\nability = 'drat'\nlasts = 1\n"}, "dart"),
            ({"more": "[cue.x]\non = 'fired'\nlasts = 1\nwhen_full = 'refuse'\n"}, "at_once"),
            ({"lives": "lives = 0"}, "lives"),
            ({"lives": "back_after = 2"}, "goes with lives"),
            ({"case": "won = {}"}, "score, out, touched or time"),
            ({"case": "won.out = 'wasps'"}, "wisps"),
            ({"case": "won.out = 'rivals'"}, "health"),
        ):
            with self.assertRaises(DrillError, msg=str(keys)) as caught:
                made(**keys)
            self.assertIn(says, str(caught.exception), keys)


if __name__ == "__main__":
    unittest.main()

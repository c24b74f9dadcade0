"""A session as an environment with reset and step: act, look, be rewarded."""

import numpy as np

import nivvo


class Lanterns:
    """Throw lanterns at a wisp that drifts: an action is how long to hold, 0 for nothing."""

    def __init__(self):
        self.live = nivvo.Live(
            nivvo.parse("""
nivvo = 1
tick.rate = 30
[shooter.keeper]
at = [0, 1]
[obstacle.quay]
shape.half_space = "up"
[target.wisp]
at = [14, 2]
shape.ball = 1
move.through = [[14, 2], [18, 2]]
move.speed = 1.5
move.at_end = "back"
[ability.lantern]
firing = { kind = "charge", full_after = 1.0, cooldown = 0.3 }
launch.speed = { by = "held", start = 6, end = 16 }
launch.elevation = 45
on.targets.damage = 1
[case.play]
input = []
""")
        )
        self.start = self.live.snapshot()

    def reset(self):
        """Back to the start; what is seen."""
        self.live.restore(self.start)
        return self.live.place("wisp")

    def step(self, hold: float):
        """Hold for so long and let go; what is seen after 3 s, and the reward."""
        if hold > 0.0:
            self.live.press("fire", at=self.live.time)
            self.live.release("fire", at=self.live.time + hold)
        reward = 0.0
        for _ in range(90):
            reward += sum(event.amount for event in self.live.step() if event.what == "damage")
        return self.live.place("wisp"), reward


env = Lanterns()
rewards = {}
for hold in np.arange(0.4, 1.01, 0.1):
    env.reset()
    rewards[round(float(hold), 1)] = sum(env.step(hold)[1] for _ in range(4))
print("reward of four throws by hold (s):", rewards)

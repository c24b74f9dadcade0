"""A server tick at 60 Hz: several shooters, inputs that come from clients, rollback to a snapshot."""

import nivvo

DRILL = nivvo.parse("""
nivvo = 1
tick.rate = 60
[shooter.ada]
at = [0, 1]
health = 30
walk.speed = 4
[shooter.bo]
at = [24, 1]
facing = "left"
health = 30
walk.speed = 4
[obstacle.quay]
shape.half_space = "up"
[ability.rivet]
firing = { kind = "auto", rate = 8 }
launch.speed = 30
launch.elevation = 2
flight.gravity_share = 0.2
limits.life = 2
on.shooters.damage = 5
[case.match]
input = []
""")
server = nivvo.Live(DRILL)
past = None
for _ in range(180):
    if server.tick == 30:
        server.press("fire", shooter="ada")
    if server.tick == 60:
        past = server.snapshot()
        server.set_walk(0.5, shooter="bo", at=server.time + 0.005)
    for event in server.step():
        if event.what in ("damage", "out"):
            print(f"{event.time:.4f} s: {server.name_of(event.id)}: {event.what} of {event.name} {event.amount:g}")
print(f"bo has {server.health('bo'):g} health left, {server.in_the_air} rivets fly")
ahead = server.digest
server.restore(past)
server.set_walk(0.5, shooter="bo", at=server.time + 0.005)
while server.tick < 180:
    server.step()
print("played again from tick 60:", "the same bytes" if server.digest == ahead else "other bytes")

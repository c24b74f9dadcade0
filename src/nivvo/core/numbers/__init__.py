"""What all of the core counts and reckons with: the clock, vectors, frames, curves, angles, roots, a heap."""

/* The yardsticks: the tick of projectiles under constant acceleration among still bodies, written by
   hand in C on the same records: flight, grid, first contact, answer, compaction; each in each tick
   (advance), or asleep until something can be in its way (advance_asleep). gcc -O3. */
#include <math.h>
#include <stdint.h>

#include "records.h" /* the records of nivvo.core.pool, written by rivals.py */

enum { BALL, CAPSULE, BOX, HALF_SPACE };
static const double UNITS = 693000000000.0;

static inline double dot(const double *a, const double *b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }

static inline void arc(const double *p, const double *v, const double *a, double t, double *out) {
    double h = 0.5 * t * t;
    for (int k = 0; k < 3; k++) out[k] = p[k] + v[k] * t + a[k] * h;
}

static double distance(const Body *b, const double *d, double *n) {
    if (b->kind == HALF_SPACE) {
        for (int k = 0; k < 3; k++) n[k] = b->axis0[k];
        return dot(n, d);
    }
    if (b->kind == BALL) {
        double far = sqrt(dot(d, d));
        if (far > 0.0) { for (int k = 0; k < 3; k++) n[k] = d[k] / far; return far - b->radius; }
        for (int k = 0; k < 3; k++) n[k] = b->axis0[k];
        return -b->radius;
    }
    double x[3], o[3], far = 0.0, gap;
    for (int k = 0; k < 3; k++) {
        x[k] = dot(d, (&b->axis0)[k]);
        double c = x[k] > -b->half[k] ? x[k] : -b->half[k];
        c = c < b->half[k] ? c : b->half[k];
        o[k] = x[k] - c;
        far += o[k] * o[k];
    }
    far = sqrt(far);
    if (far > 0.0) {
        for (int k = 0; k < 3; k++) o[k] /= far;
        gap = far;
    } else {
        int best = 0;
        gap = fabs(x[0]) - b->half[0];
        for (int k = 1; k < 3; k++) { double g = fabs(x[k]) - b->half[k]; if (g > gap) { gap = g; best = k; } }
        for (int k = 0; k < 3; k++) o[k] = 0.0;
        if (b->kind == CAPSULE) { gap = 0.0; o[1] = 1.0; } else o[best] = x[best] >= 0.0 ? 1.0 : -1.0;
    }
    for (int k = 0; k < 3; k++) n[k] = o[0] * b->axis0[k] + o[1] * b->axis1[k] + o[2] * b->axis2[k];
    return gap - b->radius;
}

static double first_fall(double gap, double speed, double half_pull) {
    double square = speed * speed - 4.0 * half_pull * gap;
    if (square < 0.0) return -1.0;
    if (speed < 0.0) return 2.0 * gap / (sqrt(square) - speed);
    if (half_pull < 0.0) return (speed + sqrt(square)) / (-2.0 * half_pull);
    return -1.0;
}

/* 0 none, 1 touch, 2 inside */
static int first_contact(const Body *b, const double *p, const double *v, const double *a, double radius, double span, double skin, double *when) {
    double t = 0.0, n[3], q[3], u[3];
    for (int planes = 0; planes < 128; planes++) {
        arc(p, v, a, t, q);
        double gap = distance(b, q, n) - radius;
        *when = t;
        if (planes == 0 && gap < -skin) return 2;
        for (int k = 0; k < 3; k++) u[k] = v[k] + a[k] * t;
        double speed = dot(n, u), half_pull = 0.5 * dot(n, a);
        if (gap <= skin && (planes > 0 || speed < 0.0 || (speed == 0.0 && half_pull < 0.0))) return 1;
        double s = first_fall(gap > skin ? gap : 0.0, speed, half_pull);
        if (s < 0.0 || t + s > span) return 0;
        if (t + s == t) return 1;
        t += s;
    }
    return 0;
}

static inline int cell(double x, double origin, double per_cell, int cells) {
    double f = (x - origin) * per_cell;
    f = f > 0.0 ? f : 0.0;
    f = f < cells - 0.5 ? f : cells - 0.5;
    return (int)f;
}

static int before(const Pending *x, const Pending *y) {
    if (x->t != y->t) return x->t < y->t;
    if (x->key != y->key) return x->key < y->key;
    return x->body_key < y->body_key;
}

typedef struct {
    const double *boxes;
    const int32_t *start, *items, *apart;
    const double *origin, *per_cell;
    const int32_t *cells;
    double skin;
    const Answer *answers;
    int groups;
    Body *bodies;
    int32_t *scratch;
} World;

/* The first body met on a piece of a parabola, or -1, and when; ``pieces``: -1, or into how many to cut it first. */
static inline int look(const World *w, const Flight *q, const Params *par, const double *p, const double *v, const double *end,
                       double span, double radius, int *pieces, double *when, int *key) {
    double low[3], high[3], skin = w->skin;
    for (int c = 0; c < 3; c++) {
        double stray = fabs(par->a[c]) * (0.125 * span * span) + radius + 4 * skin;
        low[c] = (end[c] < p[c] ? end[c] : p[c]) - stray;
        high[c] = (end[c] < p[c] ? p[c] : end[c]) + stray;
    }
    int x0 = cell(low[0], w->origin[0], w->per_cell[0], w->cells[0]), x1 = cell(high[0], w->origin[0], w->per_cell[0], w->cells[0]);
    int y0 = cell(low[1], w->origin[1], w->per_cell[1], w->cells[1]), y1 = cell(high[1], w->origin[1], w->per_cell[1], w->cells[1]);
    int z0 = cell(low[2], w->origin[2], w->per_cell[2], w->cells[2]), z1 = cell(high[2], w->origin[2], w->per_cell[2], w->cells[2]);
    if (*pieces == 0 && (x1 - x0 > 3 || y1 - y0 > 3 || z1 - z0 > 3)) {
        double most = 0.0;
        for (int c = 0; c < 3; c++) { double far = (high[c] - low[c]) * w->per_cell[c]; most = far > most ? far : most; }
        *pieces = (int)(most * 0.5) + 1;
        return -1;
    }
    int found = 0, hit = -1;
    for (int m = 0; m < w->apart[0]; m++) w->scratch[found++] = w->apart[3 + m];
    for (int z = z0; z <= z1; z++) for (int y = y0; y <= y1; y++) {
        int64_t row = ((int64_t)z * w->cells[1] + y) * w->cells[0];
        for (int m = w->start[row + x0]; m < w->start[row + x1 + 1]; m++) {
            int j = w->items[m];
            const double *box = w->boxes + 6 * j;
            if (box[0] > high[0] || box[3] < low[0] || box[1] > high[1] || box[4] < low[1] || box[2] > high[2] || box[5] < low[2]) continue;
            int known = 0;
            for (int s = found - 1; s >= 0; s--) if (w->scratch[s] == j) { known = 1; break; }
            if (!known) w->scratch[found++] = j;
        }
    }
    for (int m = 0; m < found; m++) {
        int j = w->scratch[m], out = 0;
        const Body *b = &w->bodies[j];
        if (b->out || j == par->spares || w->answers[(int64_t)q->param * w->groups + b->group].then == 2) continue;
        for (int c = 0; c < 8 && q->inside[c] >= 0; c++) if (q->inside[c] == j) out = 1;
        if (out) continue;
        double rel[3], t;
        for (int c = 0; c < 3; c++) rel[c] = p[c] - b->c[c];
        if (first_contact(b, rel, v, par->a, radius, span, skin, &t) && (t < *when || (t == *when && b->key < *key))) {
            *when = t; *key = b->key; hit = j;
        }
    }
    return hit;
}

/* Until when (clock) nothing can be in the way of what flies on from ``from``: at most 128 ticks, piece by piece. */
static inline int64_t sleeps_until(const World *w, const Flight *q, const Params *par, int64_t from, double h) {
    double span = 128.0 * h, best = INFINITY, c0 = 0.0, p[3], v[3], end[3];
    int key = 0, pieces = 0;
    if (q->until >= 0 && (q->until - from) / UNITS < span) span = (q->until - from) / UNITS;
    for (int c = 0; c < 3; c++) { p[c] = q->p[c]; v[c] = q->v[c]; }
    arc(p, v, par->a, span, end);
    look(w, q, par, p, v, end, span, par->radius + 1000.0 * w->skin, &pieces, &best, &key);
    for (int piece = 0; piece < pieces && best == INFINITY; piece++) {
        double c1 = span * (piece + 1) / pieces;
        arc(q->p, q->v, par->a, c1, end);
        if (look(w, q, par, p, v, end, c1 - c0, par->radius + 1000.0 * w->skin, &pieces, &best, &key) >= 0) best += c0;
        for (int c = 0; c < 3; c++) { p[c] = end[c]; v[c] = q->v[c] + par->a[c] * c1; }
        c0 = c1;
    }
    if (best < span) span = best;
    return span > h ? from + (int64_t)(span * UNITS) - 1000000 : -1;
}

static inline void tell(Event *events, int64_t *count, const Tick *now, const Flight *q, int kind, int body, int code,
                        double after, double left, const double *p, const double *n, const double *a) {
    Event *e = &events[(*count)++];
    e->start = now->start; e->after = after; e->key = q->key; e->tick = (int32_t)now->tick;
    e->kind = kind; e->body = body; e->code = code; e->left = left;
    for (int c = 0; c < 3; c++) { e->p[c] = p[c]; e->normal[c] = n ? n[c] : 0.0; e->v[c] = q->v[c] + a[c] * after; }
}

static inline __attribute__((always_inline)) int64_t fly(
    int64_t live, Flight *flight, const Params *params, const World *w, Pending *pending, Event *events,
    int64_t *event_count, const Tick *ticks, int64_t tick_count, int64_t *wake, int32_t *awake, int64_t *flown) {
    Body *bodies = w->bodies;
    double skin = w->skin;
    int64_t ended = 0;
    for (int64_t k = 0; k < tick_count && live > 0; k++) {
        const Tick now = ticks[k];
        int64_t waiting = 0, fresh = 0, up = live;
        *flown += live - ended;
        if (wake) {
            up = 0;
            for (int64_t i = 0; i < live; i++) if (wake[i] < now.end) awake[up++] = (int32_t)i;
        }
        for (;;) {
            int64_t i;
            int hops = 0;
            if (fresh < up) {
                i = wake ? awake[fresh] : fresh;
                fresh++;
                if (wake && wake[i] >= 0) {
                    Flight *q = &flight[i];
                    const double *a = params[q->param].a;
                    double age = (now.start - q->t0) / UNITS;
                    arc(q->p0, q->v0, a, age, q->p);
                    for (int c = 0; c < 3; c++) q->v[c] = q->v0[c] + a[c] * age;
                    wake[i] = -1;
                }
            } else if (waiting > 0) {
                Pending first = pending[0];
                Pending last = pending[--waiting];
                int64_t at = 0;
                pending[0] = last;
                for (;;) {
                    int64_t child = 2 * at + 1;
                    if (child >= waiting) break;
                    if (child + 1 < waiting && before(&pending[child + 1], &pending[child])) child++;
                    if (!before(&pending[child], &pending[at])) break;
                    Pending swap = pending[child]; pending[child] = pending[at]; pending[at] = swap;
                    at = child;
                }
                i = first.row; hops = first.turn + 1;
                Flight *q = &flight[i];
                const Params *par = &params[q->param];
                if (first.body < 0) {
                    arc(q->p, q->v, par->a, first.t, q->p);
                    tell(events, event_count, &now, q, 5, -1, 2, first.t, 0.0, q->p, 0, par->a);
                    q->end = 2; ended++;
                    continue;
                }
                Body *b = &bodies[first.body];
                if (!b->out) {
                    const Answer *ans = &w->answers[(int64_t)q->param * w->groups + b->group];
                    double p[3], d[3], n[3];
                    arc(q->p, q->v, par->a, first.t, p);
                    for (int c = 0; c < 3; c++) d[c] = p[c] - b->c[c];
                    double gap = distance(b, d, n) - par->radius;
                    tell(events, event_count, &now, q, gap < -skin ? 2 : 1, first.body, ans->then, first.t, gap, p, n, par->a);
                    if (ans->then == 0) {
                        tell(events, event_count, &now, q, 5, first.body, 1, first.t, gap, p, n, par->a);
                        q->end = 1; ended++;
                        continue;
                    }
                    for (int c = 0; c < 8; c++) if (q->inside[c] < 0) { q->inside[c] = first.body; break; }
                }
            } else break;

            Flight *q = &flight[i];
            if (q->t0 >= now.end) continue;
            const Params *par = &params[q->param];
            double span = now.dt, best = INFINITY, end[3];
            int why = 0, best_key = 0, pieces = -1;
            if (q->until >= 0 && q->until <= now.end) { span = (q->until - now.start) / UNITS; why = 2; }
            arc(q->p, q->v, par->a, span, end);
            int hit = look(w, q, par, q->p, q->v, end, span, par->radius, &pieces, &best, &best_key);
            if ((hit >= 0 && hops < 16) || why) {
                Pending *r = &pending[waiting];
                if (hit < 0) { best = span; best_key = INT32_MAX; }
                r->t = best; r->key = q->key; r->body_key = best_key; r->body = hit; r->row = (int32_t)i; r->turn = hops;
                for (int64_t at = waiting++; at > 0 && before(&pending[at], &pending[(at - 1) / 2]); at = (at - 1) / 2) {
                    Pending swap = pending[at]; pending[at] = pending[(at - 1) / 2]; pending[(at - 1) / 2] = swap;
                }
                continue;
            }
            double age = (now.end - q->t0) / UNITS;
            arc(q->p0, q->v0, par->a, age, q->p);
            for (int c = 0; c < 3; c++) q->v[c] = q->v0[c] + par->a[c] * age;
            if (wake && q->inside[0] < 0) wake[i] = sleeps_until(w, q, par, now.end, now.dt);
        }
        for (int64_t m = 0; m < up; m++) {
            Flight *q = &flight[wake ? awake[m] : m];
            for (int c = 0, held = 0; c < 8 && !q->end; c++) {
                int j = q->inside[c];
                if (j < 0) break;
                double d[3], n[3];
                for (int x = 0; x < 3; x++) d[x] = q->p[x] - bodies[j].c[x];
                q->inside[c] = -1;
                if (distance(&bodies[j], d, n) - params[q->param].radius <= skin && !bodies[j].out) q->inside[held++] = j;
            }
        }
        if (wake) for (int64_t m = 0; m < up; m++) if (flight[awake[m]].end) wake[awake[m]] = INT64_MAX;
        if (!ended || (wake && 2 * ended < live && k + 1 < tick_count)) continue;
        int64_t kept = 0;
        for (int64_t i = 0; i < live; i++) {
            if (flight[i].end) continue;
            if (kept != i) {
                flight[kept] = flight[i];
                if (wake) wake[kept] = wake[i];
            }
            kept++;
        }
        live = kept;
        ended = 0;
    }
    return live;
}

#define ARENA int64_t live, Flight *flight, const Params *params, const Answer *answers, int groups, Body *bodies, \
              const double *boxes, const int32_t *start, const int32_t *items, const int32_t *apart, int32_t *scratch, \
              Pending *pending, Event *events, int64_t *event_count, const Tick *ticks, int64_t tick_count, \
              const double *origin, const double *per_cell, const int32_t *cells, double skin, int64_t *flown
#define WORLD {boxes, start, items, apart, origin, per_cell, cells, skin, answers, groups, bodies, scratch}

int64_t advance(ARENA) {
    const World w = WORLD;
    return fly(live, flight, params, &w, pending, events, event_count, ticks, tick_count, 0, 0, flown);
}

int64_t advance_asleep(ARENA, int64_t *wake, int32_t *awake) {
    const World w = WORLD;
    return fly(live, flight, params, &w, pending, events, event_count, ticks, tick_count, wake, awake, flown);
}

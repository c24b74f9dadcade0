/* The yardstick: the tick of projectiles under constant acceleration among still bodies, written by
   hand in C on the same records: flight, grid, first contact, answer, compaction. gcc -O3. */
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

int64_t advance(int64_t live, Flight *flight, const Params *params, const Answer *answers, int groups, Body *bodies,
                const double *boxes, const int32_t *start, const int32_t *items, const int32_t *apart, int32_t *scratch,
                Pending *pending, Event *events, int64_t *event_count, const Tick *ticks, int64_t tick_count,
                const double *origin, const double *per_cell, const int32_t *cells, double skin, int64_t *flown) {
    for (int64_t k = 0; k < tick_count && live > 0; k++) {
        const Tick now = ticks[k];
        int64_t waiting = 0, ended = 0, fresh = 0;
        *flown += live;
        for (;;) {
            int64_t i;
            int hops = 0;
            if (fresh < live) {
                i = fresh++;
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
                Body *b = &bodies[first.body];
                if (!b->out) {
                    Flight *q = &flight[i];
                    const Params *par = &params[q->param];
                    const Answer *ans = &answers[(int64_t)q->param * groups + b->group];
                    double p[3], d[3], n[3];
                    arc(q->p, q->v, par->a, first.t, p);
                    for (int c = 0; c < 3; c++) d[c] = p[c] - b->c[c];
                    double gap = distance(b, d, n) - par->radius;
                    for (int what = 0; what < (ans->then == 0 ? 2 : 1); what++) {
                        Event *e = &events[(*event_count)++];
                        e->start = now.start; e->after = first.t; e->key = q->key; e->tick = (int32_t)now.tick;
                        e->kind = what == 0 ? (gap < -skin ? 2 : 1) : 5; e->body = first.body; e->code = what == 0 ? ans->then : 1; e->left = gap;
                        for (int c = 0; c < 3; c++) { e->p[c] = p[c]; e->normal[c] = n[c]; e->v[c] = q->v[c] + par->a[c] * first.t; }
                    }
                    if (ans->then == 0) { q->end = 1; ended++; continue; }
                    for (int c = 0; c < 8; c++) if (q->inside[c] < 0) { q->inside[c] = first.body; break; }
                }
            } else break;

            Flight *q = &flight[i];
            if (q->t0 >= now.end) continue;
            const Params *par = &params[q->param];
            double h = now.dt, span = h, radius = par->radius;
            int why = 0;
            if (q->until >= 0 && q->until <= now.end) { span = (q->until - now.start) / UNITS; why = 2; }
            double best = INFINITY;
            int hit = -1, best_key = 0, found = 0;
            for (int m = 0; m < apart[0]; m++) scratch[found++] = apart[3 + m];
            double low[3], high[3], end[3];
            arc(q->p, q->v, par->a, span, end);
            for (int c = 0; c < 3; c++) {
                double stray = fabs(par->a[c]) * (0.125 * span * span) + radius + 4 * skin;
                low[c] = (end[c] < q->p[c] ? end[c] : q->p[c]) - stray;
                high[c] = (end[c] < q->p[c] ? q->p[c] : end[c]) + stray;
            }
            int x0 = cell(low[0], origin[0], per_cell[0], cells[0]), x1 = cell(high[0], origin[0], per_cell[0], cells[0]);
            int y0 = cell(low[1], origin[1], per_cell[1], cells[1]), y1 = cell(high[1], origin[1], per_cell[1], cells[1]);
            int z0 = cell(low[2], origin[2], per_cell[2], cells[2]), z1 = cell(high[2], origin[2], per_cell[2], cells[2]);
            for (int z = z0; z <= z1; z++) for (int y = y0; y <= y1; y++) {
                int64_t row = ((int64_t)z * cells[1] + y) * cells[0];
                for (int m = start[row + x0]; m < start[row + x1 + 1]; m++) {
                    int j = items[m];
                    const double *box = boxes + 6 * j;
                    if (box[0] > high[0] || box[3] < low[0] || box[1] > high[1] || box[4] < low[1] || box[2] > high[2] || box[5] < low[2]) continue;
                    int known = 0;
                    for (int s = found - 1; s >= 0; s--) if (scratch[s] == j) { known = 1; break; }
                    if (!known) scratch[found++] = j;
                }
            }
            for (int m = 0; m < found; m++) {
                int j = scratch[m], out = 0;
                const Body *b = &bodies[j];
                if (b->out || j == par->spares || answers[(int64_t)q->param * groups + b->group].then == 2) continue;
                for (int c = 0; c < 8 && q->inside[c] >= 0; c++) if (q->inside[c] == j) out = 1;
                if (out) continue;
                double rel[3], t;
                for (int c = 0; c < 3; c++) rel[c] = q->p[c] - b->c[c];
                if (first_contact(b, rel, q->v, par->a, radius, span, skin, &t) && (t < best || (t == best && b->key < best_key))) {
                    best = t; best_key = b->key; hit = j;
                }
            }
            if (hit >= 0 && hops < 16) {
                Pending *r = &pending[waiting];
                r->t = best; r->key = q->key; r->body_key = best_key; r->body = hit; r->row = (int32_t)i; r->turn = hops;
                for (int64_t at = waiting++; at > 0 && before(&pending[at], &pending[(at - 1) / 2]); at = (at - 1) / 2) {
                    Pending swap = pending[at]; pending[at] = pending[(at - 1) / 2]; pending[(at - 1) / 2] = swap;
                }
                continue;
            }
            if (why) {
                Event *e = &events[(*event_count)++];
                e->start = now.start; e->after = span; e->key = q->key; e->tick = (int32_t)now.tick; e->kind = 5; e->body = -1; e->code = why;
                for (int c = 0; c < 3; c++) { e->p[c] = end[c]; e->v[c] = q->v[c] + par->a[c] * span; }
                q->end = why; ended++;
                continue;
            }
            double age = (now.end - q->t0) / UNITS;
            arc(q->p0, q->v0, par->a, age, q->p);
            for (int c = 0; c < 3; c++) q->v[c] = q->v0[c] + par->a[c] * age;
        }
        int64_t kept = 0;
        for (int64_t i = 0; i < live; i++) {
            Flight *q = &flight[i];
            if (q->end) continue;
            for (int c = 0, held = 0; c < 8; c++) {
                int j = q->inside[c];
                if (j < 0) break;
                double d[3], n[3];
                for (int x = 0; x < 3; x++) d[x] = q->p[x] - bodies[j].c[x];
                q->inside[c] = -1;
                if (distance(&bodies[j], d, n) - params[q->param].radius <= skin && !bodies[j].out) q->inside[held++] = j;
            }
            if (ended && kept != i) flight[kept] = *q;
            kept++;
        }
        live = kept;
    }
    return live;
}

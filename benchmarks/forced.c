/* The yardstick for what steers: drag, pursuit at a turn rate, bounces among still and moving bodies, in a game's own
   step (semi-implicit), written by hand in C on the same records. gcc -O3. */
#include "loop.c"

static int32_t bins[1 << 16], held[1 << 14];

/* Sort what moves into the cells that it sweeps in a tick. */
static void bin_movers(int32_t movers, const int32_t *which, const double *boxes, const double *origin,
                       const double *per_cell, const int32_t *cells) {
    int64_t count = (int64_t)cells[0] * cells[1] * cells[2];
    for (int64_t c = 0; c <= count + 1; c++) bins[c] = 0;
    for (int pass = 0; pass < 2; pass++) {
        for (int m = 0; m < movers; m++) {
            const double *box = boxes + 6 * which[m];
            int x0 = cell(box[0], origin[0], per_cell[0], cells[0]), x1 = cell(box[3], origin[0], per_cell[0], cells[0]);
            int y0 = cell(box[1], origin[1], per_cell[1], cells[1]), y1 = cell(box[4], origin[1], per_cell[1], cells[1]);
            for (int y = y0; y <= y1; y++) for (int x = x0; x <= x1; x++) {
                int64_t at = (int64_t)y * cells[0] + x;
                if (pass == 0) bins[at + 2]++; else held[bins[at + 1]++] = which[m];
            }
        }
        if (pass == 0) for (int64_t c = 2; c <= count + 1; c++) bins[c] += bins[c - 1];
    }
}

int64_t forced(int64_t live, Flight *flight, const Params *params, const Answer *answers, Body *bodies, double *boxes,
               const int32_t *start, const int32_t *items, int32_t movers, const int32_t *which, const int32_t *targets,
               Event *events, int64_t *event_count, const Tick *ticks, int64_t tick_count, const double *origin,
               const double *per_cell, const int32_t *cells, double skin) {
    static int32_t scratch[4096];
    for (int64_t k = 0; k < tick_count; k++) {
        const Tick now = ticks[k];
        for (int m = 0; m < movers; m++) {
            Body *b = &bodies[which[m]];
            double *box = boxes + 6 * which[m], since = (now.start - b->t0) / UNITS;
            for (int c = 0; c < 3; c++) {
                b->c[c] = b->c0[c] + b->v0[c] * since;
                double there = b->c[c] + b->v0[c] * now.dt;
                box[c] = (b->c[c] < there ? b->c[c] : there) - b->size[c];
                box[c + 3] = (b->c[c] < there ? there : b->c[c]) + b->size[c];
            }
        }
        bin_movers(movers, which, boxes, origin, per_cell, cells);
        const Params *par = &params[flight[0].param];
        double most = par->rate * now.dt, s = sin(most), c0 = cos(most);
        for (int64_t i = 0; i < live; i++) {
            Flight *q = &flight[i];
            const Answer *ans = &answers[q->param];
            double h = now.dt, w[3], p[3], late = 0.0, speed = sqrt(dot(q->v, q->v));
            double drag = par->linear + par->square * speed;
            for (int c = 0; c < 3; c++) { p[c] = q->p[c]; w[c] = q->v[c] + (par->a[c] - drag * q->v[c]) * h; }
            double way[3];
            for (int c = 0; c < 3; c++) way[c] = bodies[targets[i]].c[c] - p[c];
            double far = sqrt(dot(way, way));
            speed = sqrt(dot(w, w));
            if (far > 0.0 && speed > 0.0) {
                double cosine = dot(way, w) / (speed * far);
                if (cosine >= c0) {
                    for (int c = 0; c < 3; c++) w[c] = way[c] * speed / far;
                } else {
                    double side[3], on = dot(way, w) / (speed * speed);
                    for (int c = 0; c < 3; c++) side[c] = way[c] - w[c] * on;
                    double wide = sqrt(dot(side, side));
                    for (int c = 0; c < 3; c++) w[c] = w[c] * c0 + side[c] / wide * speed * s;
                }
            }
            for (int hops = 0; hops < 16; hops++) {
                double rest = now.dt - late, low[3], high[3], best = INFINITY, none[3] = {0, 0, 0};
                int found = 0, hit = -1;
                for (int c = 0; c < 3; c++) {
                    double end = p[c] + w[c] * rest, more = par->radius + 4 * skin;
                    low[c] = (end < p[c] ? end : p[c]) - more;
                    high[c] = (end < p[c] ? p[c] : end) + more;
                }
                int x0 = cell(low[0], origin[0], per_cell[0], cells[0]), x1 = cell(high[0], origin[0], per_cell[0], cells[0]);
                int y0 = cell(low[1], origin[1], per_cell[1], cells[1]), y1 = cell(high[1], origin[1], per_cell[1], cells[1]);
                for (int y = y0; y <= y1; y++) for (int layer = 0; layer < 2; layer++) {
                    int64_t row = (int64_t)y * cells[0];
                    const int32_t *first = layer ? bins : start, *list = layer ? held : items;
                    for (int m = first[row + x0]; m < first[row + x1 + 1]; m++) {
                        int j = list[m], known = 0;
                        const double *box = boxes + 6 * j;
                        if (box[0] > high[0] || box[3] < low[0] || box[1] > high[1] || box[4] < low[1]) continue;
                        for (int z = found - 1; z >= 0; z--) if (scratch[z] == j) { known = 1; break; }
                        if (!known) scratch[found++] = j;
                    }
                }
                for (int m = 0; m < found; m++) {
                    const Body *b = &bodies[scratch[m]];
                    double rel[3], u[3], t;
                    for (int c = 0; c < 3; c++) { rel[c] = p[c] - b->c[c] - b->v0[c] * late; u[c] = w[c] - b->v0[c]; }
                    if (first_contact(b, rel, u, none, par->radius, rest, skin, &t) == 1 && t < best) { best = t; hit = scratch[m]; }
                }
                if (hit < 0) {
                    for (int c = 0; c < 3; c++) p[c] += w[c] * rest;
                    break;
                }
                const Body *b = &bodies[hit];
                double d[3], n[3], r[3];
                late += best;
                for (int c = 0; c < 3; c++) { p[c] += w[c] * best; d[c] = p[c] - b->c[c] - b->v0[c] * late; r[c] = w[c] - b->v0[c]; }
                double gap = distance(b, d, n) - par->radius, into = -dot(n, r), back = ans->restitution * into;
                double slide[3], size, keeps = 1.0;
                for (int c = 0; c < 3; c++) slide[c] = r[c] + n[c] * into;
                size = sqrt(dot(slide, slide));
                if (size > 0.0) { keeps = 1.0 - ans->friction * (into + back) / size; keeps = keeps > 0.0 ? keeps : 0.0; }
                for (int what = 0; what < 2; what++) {
                    Event *e = &events[(*event_count)++];
                    e->start = now.start; e->after = late; e->key = q->key; e->tick = (int32_t)now.tick;
                    e->kind = what ? 7 : 1; e->body = hit; e->left = gap;
                    for (int c = 0; c < 3; c++) { e->p[c] = p[c]; e->normal[c] = n[c]; e->v[c] = w[c]; }
                }
                for (int c = 0; c < 3; c++) w[c] = b->v0[c] + slide[c] * keeps + n[c] * back;
            }
            for (int c = 0; c < 3; c++) { q->p[c] = p[c]; q->v[c] = w[c]; }
        }
    }
    return live;
}

/* A small rigid-body engine as a shared library with the C interface of Iron Spin: a template for joining your own.
 *
 * C11 and the maths library only. Discs, boxes and half-planes; contacts by separating axes and clipping; sequential
 * impulses with warm starting (Catto, "Iterative dynamics with temporal coherence", 2005) and friction.
 *
 *     make -C adapters/c
 *     ironspin engines probe lib:adapters/c/libengine.so
 *     ironspin run first-drop --engine "lib:adapters/c/libengine.so :: passes=40"
 *
 * To join your own engine keep part 1 (the functions of the header) and replace parts 2 and 3 by calls to it.
 */
#include "ironspin_engine.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

enum { MOST_CORNERS = 4 };
static const double MARGIN = 0.005; /* gap at which a contact is already known */
static const double SLOP = 0.002;   /* overlap that is left alone, so that resting contacts stay */

typedef struct vec { double x, y; } vec;

static vec add(vec a, vec b) { return (vec){a.x + b.x, a.y + b.y}; }
static vec sub(vec a, vec b) { return (vec){a.x - b.x, a.y - b.y}; }
static vec times(vec a, double s) { return (vec){a.x * s, a.y * s}; }
static double dot(vec a, vec b) { return a.x * b.x + a.y * b.y; }
static double cross(vec a, vec b) { return a.x * b.y - a.y * b.x; }
static vec left_of(vec a) { return (vec){-a.y, a.x}; }
static vec turn(vec a, double angle) { return add(times(a, cos(angle)), times(left_of(a), sin(angle))); }

typedef struct body {
    uint32_t kind, layers, meets;
    int there;
    vec at, velocity, force;
    double angle, spin, torque;
    double inverse_mass, inverse_inertia; /* 0 for whatever nothing pushes */
    double linear_damping, angular_damping, gravity_factor;
} body;

typedef struct part {
    uint32_t shape;
    size_t body, material;
    double radius;
    vec offset, normal, corners[MOST_CORNERS]; /* in the body's frame */
    vec at, out, points[MOST_CORNERS];         /* in the world, as of this step */
    double left, right;
} part;

typedef struct contact {
    size_t i, j; /* i < j; the normal goes from i to j */
    uint64_t key; /* knows the point again in the next step */
    vec point, normal, arm_i, arm_j;
    double depth, friction, restitution;
    double along, across, bounce, room;  /* of the solver */
    double impulse, rub, lift;
} contact;

typedef struct world {
    size_t body_count, part_count, contact_count, contact_room;
    body *bodies;
    part *parts;
    contact *contacts; /* of the last step: their impulses are where the next begins */
    vec gravity;
} world;

struct ironspin_engine {
    world now;
    int built, passes;
    size_t material_count, apart_count;
    double (*mixed)[2]; /* friction and restitution of every two materials */
    uint64_t *apart;
    size_t *order;
    double (*shifts)[3];
    char error[200];
};

static void do_step(ironspin_engine *e, double dt);
static void find_contacts(ironspin_engine *e);

/* --- Part 1: the functions of the header --- */

uint32_t ironspin_interface(void) { return IRONSPIN_INTERFACE; }

const char *ironspin_describe(void) {
    /* What is not listed is never asked for: such scenes come out as `unsupported`, not as failures. */
    return "{\"engine\":{\"name\":\"c sample\",\"version\":\"1\"},\"spaces\":[2],\"scalar\":\"f64\","
           "\"shapes\":[\"disc\",\"box\",\"half_plane\"],"
           "\"features\":[\"contacts\",\"filter\",\"kinematic\",\"body_gravity\"],"
           "\"options\":{\"passes\":{\"about\":\"times that all contacts are solved in a step\",\"default\":\"20\"}}}";
}

static void forget(ironspin_engine *e) {
    free(e->now.bodies), free(e->now.parts), free(e->now.contacts);
    free(e->mixed), free(e->apart), free(e->order), free(e->shifts);
    memset(&e->now, 0, sizeof e->now);
    e->mixed = NULL, e->apart = NULL, e->order = NULL, e->shifts = NULL, e->built = 0;
}

ironspin_engine *ironspin_create(void) {
    ironspin_engine *e = calloc(1, sizeof *e);
    if (e) e->passes = 20;
    return e;
}
void ironspin_destroy(ironspin_engine *e) { forget(e), free(e); }

const char *ironspin_last_error(ironspin_engine *e) { return e->error; }

static int32_t fail(ironspin_engine *e, int32_t code, const char *why) {
    snprintf(e->error, sizeof e->error, "%s", why);
    return code;
}

int32_t ironspin_option(ironspin_engine *e, const char *name, const char *value) {
    if (strcmp(name, "passes") != 0) return fail(e, IRONSPIN_BAD_VALUE, "no such option");
    e->passes = atoi(value);
    return e->passes > 0 ? IRONSPIN_OK : fail(e, IRONSPIN_BAD_VALUE, "passes is a number above 0");
}

static int32_t read_part(ironspin_engine *e, const ironspin_part *from, const double *numbers, size_t owner, part *to) {
    const double *n = numbers + from->first_number;
    static const vec around[MOST_CORNERS] = {{-0.5, -0.5}, {0.5, -0.5}, {0.5, 0.5}, {-0.5, 0.5}};
    memset(to, 0, sizeof *to);
    to->shape = from->shape, to->body = owner, to->material = from->material;
    to->offset = (vec){from->position[0], from->position[1]};
    if (from->sensor) return fail(e, IRONSPIN_UNSUPPORTED, "sensor");
    if (from->shape > IRONSPIN_BOX && from->shape != IRONSPIN_HALF_PLANE)
        return fail(e, IRONSPIN_UNSUPPORTED, "this shape");
    if (from->shape == IRONSPIN_DISC) to->radius = n[0];
    if (from->shape == IRONSPIN_HALF_PLANE) to->normal = turn((vec){n[0], n[1]}, from->angle);
    for (int k = 0; from->shape == IRONSPIN_BOX && k < MOST_CORNERS; k++) /* sizes are full */
        to->corners[k] = add(to->offset, turn((vec){around[k].x * n[0], around[k].y * n[1]}, from->angle));
    return IRONSPIN_OK;
}

int32_t ironspin_build(ironspin_engine *e, const ironspin_world *w) {
    forget(e);
    if (w->size != sizeof *w) return fail(e, IRONSPIN_BAD_VALUE, "a world of another version of the header");
    if (w->joint_count > 0) return fail(e, IRONSPIN_UNSUPPORTED, "joints");
    world *now = &e->now;
    now->gravity = (vec){w->gravity[0], w->gravity[1]};
    now->body_count = w->body_count, now->part_count = w->part_count;
    now->bodies = calloc(w->body_count + 1, sizeof(body));
    now->parts = calloc(w->part_count + 1, sizeof(part));
    e->material_count = w->material_count, e->apart_count = w->apart_count;
    e->mixed = calloc(w->material_count * w->material_count + 1, sizeof *e->mixed);
    e->apart = calloc(2 * w->apart_count + 1, sizeof(uint64_t));
    e->order = calloc(w->part_count + 1, sizeof(size_t));
    e->shifts = calloc(w->body_count + 1, sizeof *e->shifts);
    if (!now->bodies || !now->parts || !e->mixed || !e->apart || !e->order || !e->shifts)
        return fail(e, IRONSPIN_FAILED, "out of memory");
    for (size_t k = 0; k < 2 * w->apart_count; k++) e->apart[k] = w->apart[k];
    for (size_t a = 0; a < w->material_count; a++)
        for (size_t b = 0; b < w->material_count; b++) {
            const ironspin_material *p = &w->materials[a], *q = &w->materials[b];
            double *mixed = e->mixed[a * w->material_count + b];
            mixed[0] = sqrt(p->friction * q->friction);
            mixed[1] = fmax(p->restitution, q->restitution);
        }
    for (size_t k = 0; k < w->pair_count; k++)
        for (int way = 0; way < 2; way++) {
            const uint64_t *ids = w->pairs[k].between;
            double *mixed = e->mixed[ids[way] * w->material_count + ids[1 - way]];
            mixed[0] = w->pairs[k].friction, mixed[1] = w->pairs[k].restitution;
        }
    for (size_t i = 0; i < w->body_count; i++) {
        const ironspin_body *from = &w->bodies[i];
        int moves = from->kind == IRONSPIN_DYNAMIC;
        if (from->absent) return fail(e, IRONSPIN_UNSUPPORTED, "absent");
        now->bodies[i] = (body){
            .kind = from->kind, .layers = from->layers, .meets = from->meets, .there = 1,
            .at = {from->position[0], from->position[1]}, .velocity = {from->velocity[0], from->velocity[1]},
            .angle = from->angle, .spin = from->spin,
            /* Mass and inertia are taken as given: they need not be those of the shape. */
            .inverse_mass = moves ? 1.0 / from->mass : 0.0,
            .inverse_inertia = moves && !from->fixed_turn ? 1.0 / from->inertia : 0.0,
            .linear_damping = from->linear_damping, .angular_damping = from->angular_damping,
            .gravity_factor = from->gravity_factor,
        };
        for (size_t k = from->first_part; k < from->first_part + from->part_count; k++) {
            int32_t code = read_part(e, &w->parts[k], w->numbers, i, &now->parts[k]);
            if (code != IRONSPIN_OK) return code;
        }
    }
    e->built = 1;
    return IRONSPIN_OK;
}

/* An impulse at a point in world coordinates. */
static void push(body *b, vec impulse, vec point) {
    b->velocity = add(b->velocity, times(impulse, b->inverse_mass));
    b->spin += cross(sub(point, b->at), impulse) * b->inverse_inertia;
}

int32_t ironspin_act(ironspin_engine *e, const ironspin_action *action) {
    if (!e->built) return fail(e, IRONSPIN_NOTHING_BUILT, "nothing is built");
    vec vector = {action->vector[0], action->vector[1]};
    if (action->kind != IRONSPIN_GRAVITY && action->body >= e->now.body_count) return fail(e, IRONSPIN_BAD_VALUE, "no such body");
    body *b = &e->now.bodies[action->kind == IRONSPIN_GRAVITY ? 0 : action->body];
    vec point = action->has_point ? (vec){action->point[0], action->point[1]} : b->at;
    switch (action->kind) {
    case IRONSPIN_GRAVITY: e->now.gravity = vector; break;
    case IRONSPIN_IMPULSE: push(b, vector, point); break;
    case IRONSPIN_FORCE: b->force = add(b->force, vector), b->torque += cross(sub(point, b->at), vector); break;
    case IRONSPIN_TORQUE: b->torque += action->number; break;
    case IRONSPIN_VELOCITY: b->velocity = vector; break;
    case IRONSPIN_SPIN: b->spin = action->number; break;
    case IRONSPIN_PLACE: b->at = vector, b->angle = action->number; break;
    case IRONSPIN_REMOVE: b->there = 0; break;
    default: return fail(e, IRONSPIN_UNSUPPORTED, "absent");
    }
    return IRONSPIN_OK;
}

int32_t ironspin_step(ironspin_engine *e, double dt) {
    if (e->built) do_step(e, dt);
    return e->built ? IRONSPIN_OK : fail(e, IRONSPIN_NOTHING_BUILT, "nothing is built");
}

int32_t ironspin_state(ironspin_engine *e, double *rows) {
    if (!e->built) return fail(e, IRONSPIN_NOTHING_BUILT, "nothing is built");
    for (size_t i = 0; i < e->now.body_count; i++, rows += 6) {
        const body *b = &e->now.bodies[i];
        double row[6] = {b->at.x, b->at.y, b->angle, b->velocity.x, b->velocity.y, b->spin};
        /* Every body keeps its row; a removed one is all not-a-number. */
        for (int k = 0; k < 6; k++) rows[k] = b->there ? row[k] : NAN;
    }
    return IRONSPIN_OK;
}

uint64_t ironspin_contacts(ironspin_engine *e, double *rows, uint64_t room) {
    uint64_t count = 0;
    for (size_t k = 0; k < e->now.contact_count; k++) {
        const contact *c = &e->now.contacts[k];
        if (!(c->impulse > 0.0 || c->depth >= 0.0)) continue;
        double row[9] = {c->i, c->j, c->point.x, c->point.y, c->normal.x, c->normal.y, c->depth, c->impulse, 1.0};
        /* Only as many as there is room for; the bench asks again with more. */
        if (count < room) memcpy(rows + 9 * count, row, sizeof row);
        count++;
    }
    return count;
}

/* --- Part 2: the solver --- */

/* Of body j against body i at a contact, along a direction. */
static double speed(const world *w, const contact *c, vec along) {
    const body *a = &w->bodies[c->i], *b = &w->bodies[c->j];
    vec va = add(a->velocity, times(left_of(c->arm_i), a->spin)), vb = add(b->velocity, times(left_of(c->arm_j), b->spin));
    return dot(sub(vb, va), along);
}

/* Speed along a direction that a unit impulse makes. */
static double weight(const world *w, const contact *c, vec along) {
    const body *a = &w->bodies[c->i], *b = &w->bodies[c->j];
    double arm_a = cross(c->arm_i, along), arm_b = cross(c->arm_j, along);
    return a->inverse_mass + b->inverse_mass + arm_a * arm_a * a->inverse_inertia + arm_b * arm_b * b->inverse_inertia;
}

static void push_both(world *w, const contact *c, vec impulse) {
    push(&w->bodies[c->i], times(impulse, -1.0), c->point), push(&w->bodies[c->j], impulse, c->point);
}

static void shift(double *way, const body *b, vec arm, vec push) {
    way[0] += push.x * b->inverse_mass, way[1] += push.y * b->inverse_mass;
    way[2] += cross(arm, push) * b->inverse_inertia;
}

/* Takes a fifth of each overlap out, as ways rather than velocities: what is moved so gains no speed. */
static void part_overlaps(ironspin_engine *e) {
    world *w = &e->now;
    memset(e->shifts, 0, w->body_count * sizeof *e->shifts);
    for (int pass = 0; pass < e->passes; pass++)
        for (size_t k = 0; k < w->contact_count; k++) {
            contact *c = &w->contacts[k];
            if (c->depth <= SLOP) continue;
            double *a = e->shifts[c->i], *b = e->shifts[c->j];
            vec way_i = add((vec){a[0], a[1]}, times(left_of(c->arm_i), a[2]));
            vec way_j = add((vec){b[0], b[1]}, times(left_of(c->arm_j), b[2]));
            double lift = fmax(0.0, c->lift + (0.2 * (c->depth - SLOP) - dot(sub(way_j, way_i), c->normal)) / c->along);
            shift(a, &w->bodies[c->i], c->arm_i, times(c->normal, c->lift - lift));
            shift(b, &w->bodies[c->j], c->arm_j, times(c->normal, lift - c->lift));
            c->lift = lift;
        }
}

static void solve(ironspin_engine *e, double dt) {
    world *w = &e->now;
    double slow = 2.0 * dt * hypot(w->gravity.x, w->gravity.y);
    for (size_t k = 0; k < w->contact_count; k++) {
        contact *c = &w->contacts[k];
        c->arm_i = sub(c->point, w->bodies[c->i].at), c->arm_j = sub(c->point, w->bodies[c->j].at);
        c->along = weight(w, c, c->normal), c->across = weight(w, c, left_of(c->normal));
        /* What comes in slower than gravity makes in a step or two is at rest, and does not bounce. */
        double closing = speed(w, c, c->normal);
        c->bounce = closing < -slow ? -c->restitution * closing : 0.0;
        c->room = fmax(0.0, -c->depth) / dt; /* a gap may close in this step, but no further */
    }
    for (size_t k = 0; k < w->contact_count; k++) {
        contact *c = &w->contacts[k];
        push_both(w, c, add(times(c->normal, c->impulse), times(left_of(c->normal), c->rub)));
    }
    for (int pass = 0; pass < e->passes; pass++)
        for (size_t k = 0; k < w->contact_count; k++) {
            contact *c = &w->contacts[k];
            vec across = {-c->normal.y, c->normal.x};
            double limit = c->friction * c->impulse;
            double rub = fmax(-limit, fmin(limit, c->rub - speed(w, c, across) / c->across));
            push_both(w, c, times(across, rub - c->rub));
            c->rub = rub;
            double wanted = c->bounce > 0.0 ? c->bounce : -c->room;
            double impulse = fmax(0.0, c->impulse - (speed(w, c, c->normal) - wanted) / c->along);
            push_both(w, c, times(c->normal, impulse - c->impulse));
            c->impulse = impulse;
        }
    part_overlaps(e);
}

static void do_step(ironspin_engine *e, double dt) {
    world *w = &e->now;
    if (dt == 0.0) return;
    for (size_t i = 0; i < w->body_count; i++) {
        body *b = &w->bodies[i];
        if (b->inverse_mass > 0.0) {
            vec pull = add(times(w->gravity, b->gravity_factor), times(b->force, b->inverse_mass));
            b->velocity = times(add(b->velocity, times(pull, dt)), exp(-b->linear_damping * dt));
            b->spin = (b->spin + dt * b->torque * b->inverse_inertia) * exp(-b->angular_damping * dt);
        }
        b->force = (vec){0, 0}, b->torque = 0.0;
    }
    find_contacts(e);
    solve(e, dt);
    for (size_t i = 0; i < w->body_count; i++) {
        body *b = &w->bodies[i];
        if (b->kind == IRONSPIN_STATIC) continue;
        b->at = add(b->at, add(times(b->velocity, dt), (vec){e->shifts[i][0], e->shifts[i][1]}));
        b->angle += dt * b->spin + e->shifts[i][2];
    }
}

/* --- Part 3: collision --- */

static void place(part *p, const body *b) {
    p->at = add(b->at, turn(p->offset, b->angle));
    p->left = p->at.x - p->radius, p->right = p->at.x + p->radius;
    if (p->shape == IRONSPIN_HALF_PLANE) p->out = turn(p->normal, b->angle), p->left = -INFINITY, p->right = INFINITY;
    if (p->shape != IRONSPIN_BOX) return;
    p->left = INFINITY, p->right = -INFINITY;
    for (int k = 0; k < MOST_CORNERS; k++) {
        p->points[k] = add(b->at, turn(p->corners[k], b->angle));
        p->left = fmin(p->left, p->points[k].x), p->right = fmax(p->right, p->points[k].x);
    }
}

/* One point that was found; the caller knows of which bodies. `turned` swaps the normal. */
static void found(ironspin_engine *e, const contact *of, uint64_t mark, vec point, vec normal, double depth, int turned) {
    world *w = &e->now;
    if (depth <= -MARGIN) return;
    if (w->contact_count == w->contact_room) {
        size_t room = 2 * w->contact_room + 64;
        contact *more = realloc(w->contacts, room * sizeof(contact));
        if (!more) abort();
        w->contacts = more, w->contact_room = room;
    }
    contact *c = &w->contacts[w->contact_count++];
    *c = *of;
    c->key += mark, c->point = point, c->depth = depth;
    c->normal = turned ? times(normal, -1.0) : normal;
}

static void discs(ironspin_engine *e, const contact *of, vec at, double radius, const part *b, int turned) {
    vec way = sub(b->at, at);
    double far = sqrt(dot(way, way)), depth = radius + b->radius - far;
    vec normal = far > 0.0 ? times(way, 1.0 / far) : (vec){0, 1};
    found(e, of, 0, add(at, times(normal, radius - 0.5 * depth)), normal, depth, turned);
}

static vec outward(const vec *points, int k) {
    vec edge = sub(points[(k + 1) % MOST_CORNERS], points[k]);
    return times(left_of(edge), -1.0 / sqrt(dot(edge, edge)));
}

static void box_disc(ironspin_engine *e, const contact *of, const part *box, const part *disc, int turned) {
    int face = 0;
    double gap = -INFINITY;
    for (int k = 0; k < MOST_CORNERS; k++) {
        double here = dot(sub(disc->at, box->points[k]), outward(box->points, k));
        if (here > gap) gap = here, face = k;
    }
    vec p = box->points[face], q = box->points[(face + 1) % MOST_CORNERS], normal = outward(box->points, face);
    double along = dot(sub(disc->at, p), sub(q, p)) / dot(sub(q, p), sub(q, p));
    if (gap > 0.0 && (along < 0.0 || along > 1.0)) {
        discs(e, of, along < 0.0 ? p : q, 0.0, disc, turned); /* beyond the face: the nearest corner decides */
        return;
    }
    double depth = disc->radius - gap;
    found(e, of, 0, sub(disc->at, times(normal, disc->radius - 0.5 * depth)), normal, depth, turned);
}

/* The face of a over which b stands out furthest, and by how much. */
static double best_face(const vec *a, const vec *b, int *face) {
    double best = -INFINITY;
    for (int k = 0; k < MOST_CORNERS; k++) {
        double gap = INFINITY;
        for (int m = 0; m < MOST_CORNERS; m++) gap = fmin(gap, dot(sub(b[m], a[k]), outward(a, k)));
        if (gap > best + 1e-9) best = gap, *face = k;
    }
    return best;
}

static void boxes(ironspin_engine *e, const contact *of, const part *first, const part *second) {
    int face = 0, other_face = 0, swap, edge = 0;
    double gap = best_face(first->points, second->points, &face);
    swap = best_face(second->points, first->points, &other_face) > gap + 1e-4;
    const vec *a = swap ? second->points : first->points, *b = swap ? first->points : second->points;
    if (swap) face = other_face;
    vec p = a[face], normal = outward(a, face), across = left_of(normal);
    double low = dot(p, across), high = dot(a[(face + 1) % MOST_CORNERS], across), least = INFINITY;
    /* Of the other box the edge that looks most against the face, cut off where the face ends. */
    for (int k = 0; k < MOST_CORNERS; k++) {
        double facing = dot(outward(b, k), normal);
        if (facing < least) least = facing, edge = k;
    }
    for (int mark = 0; mark < 2; mark++) {
        vec here = b[(edge + mark) % MOST_CORNERS], there = b[(edge + 1 - mark) % MOST_CORNERS];
        double at = dot(here, across), to = dot(there, across), inside = fmin(fmax(at, low), high);
        if (at != to && at != inside) {
            double share = (inside - at) / (to - at);
            if (share < 0.0 || share > 1.0) continue;
            here = add(here, times(sub(there, here), share));
        }
        double depth = dot(sub(p, here), normal);
        found(e, of, (uint64_t)(64 * swap + 16 * face + 4 * edge + mark), add(here, times(normal, 0.5 * depth)), normal, depth, swap);
    }
}

static void on_plane(ironspin_engine *e, const contact *of, const part *plane, const part *b, int turned) {
    int box = b->shape == IRONSPIN_BOX;
    for (int k = 0; k < (box ? MOST_CORNERS : 1); k++) {
        vec point = box ? b->points[k] : sub(b->at, times(plane->out, b->radius));
        found(e, of, (uint64_t)k, point, plane->out, dot(sub(plane->at, point), plane->out), turned);
    }
}

static void meet(ironspin_engine *e, size_t first, size_t second) {
    world *w = &e->now;
    if (first > second) { size_t swap = first; first = second, second = swap; }
    const part *p = &w->parts[first], *q = &w->parts[second];
    contact of = {.i = p->body, .j = q->body, .key = ((uint64_t)first * w->part_count + second) * 256};
    const body *a = &w->bodies[of.i], *b = &w->bodies[of.j];
    if (of.i == of.j || a->inverse_mass + b->inverse_mass == 0.0) return;
    if (!(a->layers & b->meets) || !(b->layers & a->meets)) return; /* both must want to */
    for (size_t k = 0; k < e->apart_count; k++) {
        uint64_t m = e->apart[2 * k], n = e->apart[2 * k + 1];
        if ((m == of.i && n == of.j) || (m == of.j && n == of.i)) return;
    }
    const double *mixed = e->mixed[p->material * e->material_count + q->material];
    of.friction = mixed[0], of.restitution = mixed[1];
    /* Half-planes first, then boxes, then discs; `turned` where the first is not the body with the smaller id. */
    static const int rank[] = {[IRONSPIN_DISC] = 2, [IRONSPIN_BOX] = 1, [IRONSPIN_HALF_PLANE] = 0};
    int turned = rank[p->shape] > rank[q->shape];
    if (turned) { const part *swap = p; p = q, q = swap; }
    if (p->shape == IRONSPIN_HALF_PLANE) on_plane(e, &of, p, q, turned); /* one of the two can move, and planes cannot */
    else if (q->shape == IRONSPIN_BOX) boxes(e, &of, p, q);
    else if (p->shape == IRONSPIN_BOX) box_disc(e, &of, p, q, turned);
    else discs(e, &of, p->at, p->radius, q, turned);
}

static int by_key(const void *a, const void *b) {
    uint64_t first = ((const contact *)a)->key, second = ((const contact *)b)->key;
    return (first > second) - (first < second);
}

static void find_contacts(ironspin_engine *e) {
    world *w = &e->now;
    contact *before = w->contacts;
    size_t before_count = w->contact_count, count = 0;
    w->contacts = NULL, w->contact_count = w->contact_room = 0;
    for (size_t k = 0; k < w->part_count; k++) place(&w->parts[k], &w->bodies[w->parts[k].body]);
    /* Sorted along x by insertion, for the order hardly changes from step to step; ties go by number, never by chance. */
    for (size_t k = 0; k < w->part_count; k++) {
        if (!w->bodies[w->parts[k].body].there) continue;
        size_t at = count++;
        for (; at > 0 && w->parts[e->order[at - 1]].left > w->parts[k].left; at--) e->order[at] = e->order[at - 1];
        e->order[at] = k;
    }
    for (size_t m = 0; m < count; m++)
        for (size_t n = m + 1; n < count && w->parts[e->order[n]].left - MARGIN <= w->parts[e->order[m]].right; n++)
            meet(e, e->order[m], e->order[n]);
    if (w->contact_count > 0) qsort(w->contacts, w->contact_count, sizeof(contact), by_key);
    /* Impulses of the last step are where this step begins: piles need it. Both lists are sorted by key. */
    for (size_t k = 0, old = 0; k < w->contact_count; k++) {
        while (old < before_count && before[old].key < w->contacts[k].key) old++;
        if (old < before_count && before[old].key == w->contacts[k].key)
            w->contacts[k].impulse = before[old].impulse, w->contacts[k].rub = before[old].rub;
    }
    free(before);
}

/* A small rigid-body engine in space as a shared library with the C interface of Iron Spin, version 2: a template for
 * joining your own. The plane has a smaller one beside it: engine.c.
 *
 * C11 and the maths library only. Spheres, boxes and half spaces; contacts by separating axes and clipping; sequential
 * impulses with warm starting (Catto, "Iterative dynamics with temporal coherence", 2005) and a round friction cone;
 * free turning by the midpoint rule on an angular momentum that stays.
 *
 *     make -C adapters/c
 *     ironspin engines probe lib:adapters/c/libspace_engine.so
 *     ironspin run solid-drop --engine "lib:adapters/c/libspace_engine.so :: passes=60"
 *
 * To join your own engine keep part 1 (the functions of the header) and replace parts 2 and 3 by calls to it.
 */
#include "ironspin_engine_2.h"

#include <math.h>
#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static const double MARGIN = 0.005; /* gap at which a contact is already known */
static const double SLOP = 0.001;   /* overlap that is left alone, so that resting contacts stay */

typedef struct vec { double x, y, z; } vec;
typedef struct quat { double w; vec v; } quat; /* from the body's axes to the world's */
typedef struct mat { vec row[3]; } mat;

static vec add(vec a, vec b) { return (vec){a.x + b.x, a.y + b.y, a.z + b.z}; }
static vec sub(vec a, vec b) { return (vec){a.x - b.x, a.y - b.y, a.z - b.z}; }
static vec times(vec a, double s) { return (vec){a.x * s, a.y * s, a.z * s}; }
static vec plus(vec a, vec b, double s) { return add(a, times(b, s)); }
static double dot(vec a, vec b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
static vec cross(vec a, vec b) { return (vec){a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x}; }
static double part_of(vec a, int axis) { return axis == 0 ? a.x : axis == 1 ? a.y : a.z; }
static vec read_vec(const double *n) { return (vec){n[0], n[1], n[2]}; }
static quat read_quat(const double *n) { return (quat){n[0], {n[1], n[2], n[3]}}; }

static vec unit(vec a) {
    double length = sqrt(dot(a, a));
    return length > 0.0 ? times(a, 1.0 / length) : (vec){0, 1, 0};
}

/* First b, then a. */
static quat product(quat a, quat b) {
    return (quat){a.w * b.w - dot(a.v, b.v), add(add(times(b.v, a.w), times(a.v, b.w)), cross(a.v, b.v))};
}

static vec turned(quat q, vec v) {
    vec twice = times(cross(q.v, v), 2.0);
    return add(plus(v, twice, q.w), cross(q.v, twice));
}

static vec turned_back(quat q, vec v) { return turned((quat){q.w, times(q.v, -1.0)}, v); }

/* The rotation after a spin about the world's axes has been kept for a time, of unit length again. */
static quat turned_on(quat q, vec spin, double dt) {
    double angle = sqrt(dot(spin, spin)) * dt;
    if (angle > 0.0) q = product((quat){cos(0.5 * angle), times(unit(spin), sin(0.5 * angle))}, q);
    double length = sqrt(q.w * q.w + dot(q.v, q.v));
    return (quat){q.w / length, times(q.v, 1.0 / length)};
}

static vec apply(const mat *m, vec v) { return (vec){dot(m->row[0], v), dot(m->row[1], v), dot(m->row[2], v)}; }

/* Of a symmetric matrix, by its cofactors. */
static mat inverse(const mat *m) {
    vec first = cross(m->row[1], m->row[2]);
    double scale = 1.0 / dot(m->row[0], first);
    return (mat){{times(first, scale), times(cross(m->row[2], m->row[0]), scale), times(cross(m->row[0], m->row[1]), scale)}};
}

typedef struct body {
    uint32_t kind, layers, meets;
    int there, turns;
    vec at, velocity, spin, force, torque; /* spin about the world's axes */
    quat turn;
    mat inertia, own_inverse; /* along the body's own axes */
    double inverse_mass;      /* 0 for whatever nothing pushes */
    double linear_damping, angular_damping, gravity_factor;
} body;

typedef struct part {
    uint32_t shape;
    size_t body, material;
    double radius;
    vec own, half, normal; /* in the body's frame; sizes are half ones from here on */
    quat own_turn;
    vec at, axes[3], out; /* in the world, as of this step */
    double left, right;
} part;

typedef struct contact {
    size_t i, j;  /* i < j; the normal goes from i to j */
    uint64_t key; /* knows the point again in the next step */
    vec point, normal, arm_i, arm_j;
    double depth, friction, restitution;
    double along, across, bounce, room; /* of the solver */
    double impulse, lift;
    vec rub;
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
    vec (*shifts)[2]; /* way and turn of each body that part overlaps */
    char error[200];
};

static void do_step(ironspin_engine *e, double dt);

/* --- Part 1: the functions of the header --- */

uint32_t ironspin_interface(void) { return IRONSPIN_INTERFACE; }

const char *ironspin_describe(void) {
    /* 3 is space; an engine that does both lists [2,3] and looks at `space` of each world. What is not listed is never
     * asked for: such scenes come out as `unsupported`, not as failures. */
    return "{\"engine\":{\"name\":\"c sample in space\",\"version\":\"1\"},\"spaces\":[3],\"scalar\":\"f64\","
           "\"shapes\":[\"sphere\",\"box\",\"half_space\"],"
           "\"features\":[\"contacts\",\"filter\",\"kinematic\",\"body_gravity\"],"
           "\"options\":{\"passes\":{\"about\":\"times that all contacts are solved in a step\",\"default\":\"30\"}}}";
}

static void forget(ironspin_engine *e) {
    free(e->now.bodies), free(e->now.parts), free(e->now.contacts);
    free(e->mixed), free(e->apart), free(e->order), free(e->shifts);
    memset(&e->now, 0, sizeof e->now);
    e->mixed = NULL, e->apart = NULL, e->order = NULL, e->shifts = NULL, e->built = 0;
}

ironspin_engine *ironspin_create(void) {
    ironspin_engine *e = calloc(1, sizeof *e);
    if (e) e->passes = 30;
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
    memset(to, 0, sizeof *to);
    to->shape = from->shape, to->body = owner, to->material = from->material;
    to->own = read_vec(from->position), to->own_turn = read_quat(from->rotation);
    if (from->sensor) return fail(e, IRONSPIN_UNSUPPORTED, "sensor");
    switch (from->shape) {
    case IRONSPIN_SPHERE: to->radius = n[0]; return IRONSPIN_OK;
    case IRONSPIN_BOX: to->half = times(read_vec(n), 0.5); return IRONSPIN_OK; /* sizes are full */
    case IRONSPIN_HALF_SPACE: to->normal = read_vec(n); return IRONSPIN_OK;
    default: return fail(e, IRONSPIN_UNSUPPORTED, "this shape");
    }
}

static body read_body(const ironspin_body *from) {
    int moves = from->kind == IRONSPIN_DYNAMIC;
    body b = {
        .kind = from->kind, .layers = from->layers, .meets = from->meets, .there = 1,
        .turns = moves && !from->fixed_turn,
        .at = read_vec(from->position), .velocity = read_vec(from->velocity), .spin = read_vec(from->spin),
        .turn = read_quat(from->rotation),
        .inverse_mass = moves ? 1.0 / from->mass : 0.0,
        .linear_damping = from->linear_damping, .angular_damping = from->angular_damping,
        .gravity_factor = from->gravity_factor,
    };
    /* xx, yy, zz, xy, xz, yz as entries of the matrix, taken as given: it need not be that of the shape. */
    const double *n = from->inertia;
    b.inertia = (mat){{{n[0], n[3], n[4]}, {n[3], n[1], n[5]}, {n[4], n[5], n[2]}}};
    if (b.turns) b.own_inverse = inverse(&b.inertia);
    return b;
}

static void mix_materials(ironspin_engine *e, const ironspin_world *w) {
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
}

int32_t ironspin_build(ironspin_engine *e, const ironspin_world *w) {
    forget(e);
    if (w->space != 3) return fail(e, IRONSPIN_UNSUPPORTED, "worlds of 2 dimensions");
    if (w->size > offsetof(ironspin_world, soft_count)) return fail(e, IRONSPIN_UNSUPPORTED, "soft");
    if (w->size < offsetof(ironspin_world, soft_count)) return fail(e, IRONSPIN_BAD_VALUE, "a world of another version of the header");
    if (w->joint_count > 0) return fail(e, IRONSPIN_UNSUPPORTED, "joints");
    world *now = &e->now;
    now->gravity = read_vec(w->gravity);
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
    mix_materials(e, w);
    for (size_t i = 0; i < w->body_count; i++) {
        const ironspin_body *from = &w->bodies[i];
        if (from->absent) return fail(e, IRONSPIN_UNSUPPORTED, "absent");
        now->bodies[i] = read_body(from);
        for (size_t k = from->first_part; k < from->first_part + from->part_count; k++) {
            int32_t code = read_part(e, &w->parts[k], w->numbers, i, &now->parts[k]);
            if (code != IRONSPIN_OK) return code;
        }
    }
    e->built = 1;
    return IRONSPIN_OK;
}

/* The change of spin that an angular impulse makes. */
static vec by_moment(const body *b, vec moment) {
    if (!b->turns) return (vec){0, 0, 0};
    return turned(b->turn, apply(&b->own_inverse, turned_back(b->turn, moment)));
}

/* An impulse at a point in world coordinates. */
static void push(body *b, vec impulse, vec point) {
    b->velocity = plus(b->velocity, impulse, b->inverse_mass);
    b->spin = add(b->spin, by_moment(b, cross(sub(point, b->at), impulse)));
}

int32_t ironspin_act(ironspin_engine *e, const ironspin_action *action) {
    if (!e->built) return fail(e, IRONSPIN_NOTHING_BUILT, "nothing is built");
    vec vector = read_vec(action->vector);
    if (action->kind != IRONSPIN_GRAVITY && action->body >= e->now.body_count) return fail(e, IRONSPIN_BAD_VALUE, "no such body");
    body *b = &e->now.bodies[action->kind == IRONSPIN_GRAVITY ? 0 : action->body];
    vec point = action->has_point ? read_vec(action->point) : b->at;
    switch (action->kind) {
    case IRONSPIN_GRAVITY: e->now.gravity = vector; break;
    case IRONSPIN_IMPULSE: push(b, vector, point); break;
    case IRONSPIN_FORCE: b->force = add(b->force, vector), b->torque = add(b->torque, cross(sub(point, b->at), vector)); break;
    case IRONSPIN_TORQUE: b->torque = add(b->torque, vector); break;
    case IRONSPIN_VELOCITY: b->velocity = vector; break;
    case IRONSPIN_SPIN: b->spin = vector; break;
    case IRONSPIN_PLACE: b->at = vector, b->turn = read_quat(action->rotation); break;
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
    for (size_t i = 0; i < e->now.body_count; i++, rows += 13) {
        const body *b = &e->now.bodies[i];
        double row[13] = {b->at.x, b->at.y, b->at.z, b->turn.w, b->turn.v.x, b->turn.v.y, b->turn.v.z,
                          b->velocity.x, b->velocity.y, b->velocity.z, b->spin.x, b->spin.y, b->spin.z};
        /* Every body keeps its row; a removed one is all not-a-number. */
        for (int k = 0; k < 13; k++) rows[k] = b->there ? row[k] : NAN;
    }
    return IRONSPIN_OK;
}

uint64_t ironspin_contacts(ironspin_engine *e, double *rows, uint64_t room) {
    uint64_t count = 0;
    for (size_t k = 0; k < e->now.contact_count; k++) {
        const contact *c = &e->now.contacts[k];
        if (!(c->impulse > 0.0 || c->depth >= 0.0)) continue;
        double row[11] = {c->i, c->j, c->point.x, c->point.y, c->point.z, c->normal.x, c->normal.y, c->normal.z, c->depth, c->impulse, 1.0};
        /* Only as many as there is room for; the bench asks again with more. */
        if (count < room) memcpy(rows + 11 * count, row, sizeof row);
        count++;
    }
    return count;
}

/* --- Part 2: the solver --- */

/* Velocity of body j against body i at a contact. */
static vec way(const world *w, const contact *c) {
    const body *a = &w->bodies[c->i], *b = &w->bodies[c->j];
    return sub(add(b->velocity, cross(b->spin, c->arm_j)), add(a->velocity, cross(a->spin, c->arm_i)));
}

/* Speed along a direction that a unit impulse makes. */
static double weight(const world *w, const contact *c, vec along) {
    const body *a = &w->bodies[c->i], *b = &w->bodies[c->j];
    return a->inverse_mass + b->inverse_mass + dot(cross(by_moment(a, cross(c->arm_i, along)), c->arm_i), along)
           + dot(cross(by_moment(b, cross(c->arm_j, along)), c->arm_j), along);
}

static void push_both(world *w, const contact *c, vec impulse) {
    push(&w->bodies[c->i], times(impulse, -1.0), c->point), push(&w->bodies[c->j], impulse, c->point);
}

static void shift(vec *of, const body *b, vec arm, vec by) {
    of[0] = plus(of[0], by, b->inverse_mass);
    of[1] = add(of[1], by_moment(b, cross(arm, by)));
}

/* Takes a fifth of each overlap out, as ways rather than velocities: what is moved so gains no speed. */
static void part_overlaps(ironspin_engine *e) {
    world *w = &e->now;
    memset(e->shifts, 0, w->body_count * sizeof *e->shifts);
    for (int pass = 0; pass < e->passes; pass++)
        for (size_t k = 0; k < w->contact_count; k++) {
            contact *c = &w->contacts[k];
            if (c->depth <= SLOP) continue;
            vec *a = e->shifts[c->i], *b = e->shifts[c->j];
            vec apart = sub(add(b[0], cross(b[1], c->arm_j)), add(a[0], cross(a[1], c->arm_i)));
            double lift = fmax(0.0, c->lift + (0.2 * (c->depth - SLOP) - dot(apart, c->normal)) / c->along);
            shift(a, &w->bodies[c->i], c->arm_i, times(c->normal, c->lift - lift));
            shift(b, &w->bodies[c->j], c->arm_j, times(c->normal, lift - c->lift));
            c->lift = lift;
        }
}

static void prepare(world *w, contact *c, double dt) {
    c->arm_i = sub(c->point, w->bodies[c->i].at), c->arm_j = sub(c->point, w->bodies[c->j].at);
    c->along = weight(w, c, c->normal);
    vec first = unit(cross(c->normal, fabs(c->normal.x) < 0.8 ? (vec){1, 0, 0} : (vec){0, 1, 0}));
    c->across = fmax(weight(w, c, first), weight(w, c, cross(c->normal, first)));
    /* What comes in slower than gravity makes in a step or two is at rest, and does not bounce. */
    double closing = dot(way(w, c), c->normal), slow = 2.0 * dt * sqrt(dot(w->gravity, w->gravity));
    c->bounce = closing < -slow ? -c->restitution * closing : 0.0;
    c->room = fmax(0.0, -c->depth) / dt; /* a gap may close in this step, but no further */
    c->rub = plus(c->rub, c->normal, -dot(c->rub, c->normal)); /* across the normal of now */
}

static void solve(ironspin_engine *e, double dt) {
    world *w = &e->now;
    for (size_t k = 0; k < w->contact_count; k++) prepare(w, &w->contacts[k], dt);
    for (size_t k = 0; k < w->contact_count; k++) {
        contact *c = &w->contacts[k];
        push_both(w, c, plus(c->rub, c->normal, c->impulse));
    }
    for (int pass = 0; pass < e->passes; pass++)
        for (size_t k = 0; k < w->contact_count; k++) {
            contact *c = &w->contacts[k];
            /* Within a round cone: the impulse across is cut to its length, whatever its direction. */
            vec moving = way(w, c), sliding = plus(moving, c->normal, -dot(moving, c->normal));
            vec rub = plus(c->rub, sliding, -1.0 / c->across);
            double length = sqrt(dot(rub, rub)), limit = c->friction * c->impulse;
            if (length > limit) rub = times(rub, limit / length);
            push_both(w, c, sub(rub, c->rub));
            c->rub = rub;
            double wanted = c->bounce > 0.0 ? c->bounce : -c->room;
            double impulse = fmax(0.0, c->impulse - (dot(way(w, c), c->normal) - wanted) / c->along);
            push_both(w, c, times(c->normal, impulse - c->impulse));
            c->impulse = impulse;
        }
    part_overlaps(e);
}

static void move(body *b, double dt, const vec shifted[2]) {
    b->at = add(plus(b->at, b->velocity, dt), shifted[0]);
    vec spin = b->spin, momentum = {0, 0, 0};
    if (b->turns) {
        /* The angular momentum of a free body stays, and its spin does not: half a step on for the middle. */
        momentum = turned(b->turn, apply(&b->inertia, turned_back(b->turn, b->spin)));
        quat middle = turned_on(b->turn, b->spin, 0.5 * dt);
        spin = turned(middle, apply(&b->own_inverse, turned_back(middle, momentum)));
    }
    b->turn = turned_on(turned_on(b->turn, spin, dt), shifted[1], 1.0);
    if (b->turns) b->spin = by_moment(b, momentum);
}

static void find_contacts(ironspin_engine *e);

static void do_step(ironspin_engine *e, double dt) {
    world *w = &e->now;
    if (dt == 0.0) return;
    for (size_t i = 0; i < w->body_count; i++) {
        body *b = &w->bodies[i];
        if (b->inverse_mass > 0.0) {
            vec pull = plus(times(w->gravity, b->gravity_factor), b->force, b->inverse_mass);
            b->velocity = times(plus(b->velocity, pull, dt), exp(-b->linear_damping * dt));
            b->spin = times(plus(b->spin, by_moment(b, b->torque), dt), exp(-b->angular_damping * dt));
        }
        b->force = b->torque = (vec){0, 0, 0};
    }
    find_contacts(e);
    solve(e, dt);
    for (size_t i = 0; i < w->body_count; i++)
        if (w->bodies[i].kind != IRONSPIN_STATIC) move(&w->bodies[i], dt, e->shifts[i]);
}

/* --- Part 3: collision --- */

static double reach(const part *p, vec n) {
    return p->radius + p->half.x * fabs(dot(p->axes[0], n)) + p->half.y * fabs(dot(p->axes[1], n)) + p->half.z * fabs(dot(p->axes[2], n));
}

/* Where a part is now: centre, axes and how far it reaches along x. */
static void place(part *p, const body *b) {
    p->at = add(b->at, turned(b->turn, p->own));
    quat turn = product(b->turn, p->own_turn);
    p->axes[0] = turned(turn, (vec){1, 0, 0}), p->axes[1] = turned(turn, (vec){0, 1, 0}), p->axes[2] = turned(turn, (vec){0, 0, 1});
    p->out = turned(turn, p->normal);
    double far = p->shape == IRONSPIN_HALF_SPACE ? INFINITY : reach(p, (vec){1, 0, 0});
    p->left = p->at.x - far, p->right = p->at.x + far;
}

static vec corner(const part *p, int number) {
    vec at = p->at;
    for (int k = 0; k < 3; k++) at = plus(at, p->axes[k], number >> k & 1 ? part_of(p->half, k) : -part_of(p->half, k));
    return at;
}

/* One point that was found; the caller knows of which bodies. `swapped` turns the normal round. */
static void found(ironspin_engine *e, const contact *of, uint64_t mark, vec point, vec normal, double depth, int swapped) {
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
    c->normal = swapped ? times(normal, -1.0) : normal;
}

static void spheres(ironspin_engine *e, const contact *of, vec at, double radius, const part *b, int swapped) {
    vec between = sub(b->at, at), normal = unit(between);
    double depth = radius + b->radius - sqrt(dot(between, between));
    found(e, of, 0, plus(at, normal, radius - 0.5 * depth), normal, depth, swapped);
}

static void box_sphere(ironspin_engine *e, const contact *of, const part *box, const part *ball, int swapped) {
    vec between = sub(ball->at, box->at), nearest = box->at;
    int outside = 0, face = 0;
    double least = INFINITY, side = 1.0;
    for (int k = 0; k < 3; k++) {
        double own = dot(between, box->axes[k]), half = part_of(box->half, k), inside = fmin(fmax(own, -half), half);
        if (inside != own) outside = 1;
        nearest = plus(nearest, box->axes[k], inside);
        if (half - fabs(own) < least) least = half - fabs(own), face = k, side = own < 0.0 ? -1.0 : 1.0;
    }
    if (outside) {
        spheres(e, of, nearest, 0.0, ball, swapped);
        return;
    }
    /* The centre lies inside: out by the nearest face. */
    vec normal = times(box->axes[face], side);
    found(e, of, 0, plus(ball->at, normal, 0.5 * (least - ball->radius)), normal, ball->radius + least, swapped);
}

/* The middle of the shortest way between two edges. */
static void edge_edge(ironspin_engine *e, const contact *of, const part *a, const part *b, int p, int q, vec normal, double depth) {
    vec at = a->at, to = b->at, u = a->axes[p], v = b->axes[q];
    for (int k = 0; k < 3; k++) {
        if (k != p) at = plus(at, a->axes[k], copysign(part_of(a->half, k), dot(a->axes[k], normal)));
        if (k != q) to = plus(to, b->axes[k], copysign(part_of(b->half, k), -dot(b->axes[k], normal)));
    }
    vec between = sub(to, at);
    double uv = dot(u, v), share = (dot(between, u) - dot(between, v) * uv) / (1.0 - uv * uv);
    found(e, of, (uint64_t)(100 + 3 * p + q), plus(plus(at, u, share), normal, -0.5 * depth), normal, depth, 0);
}

/* The face of the second box that looks most against a face of the first, cut off at the edges of that face. */
static void clip(ironspin_engine *e, const contact *of, const part *first, const part *second, int axis, vec out, int swapped) {
    struct { vec at; int name; } corners[2][16];
    int k = 0, now = 0, count = 4, cut = 0;
    for (int m = 1; m < 3; m++)
        if (fabs(dot(second->axes[m], out)) > fabs(dot(second->axes[k], out))) k = m;
    double sign = dot(second->axes[k], out) > 0.0 ? -1.0 : 1.0;
    int u = (k + 1) % 3, v = (k + 2) % 3;
    vec middle = plus(second->at, second->axes[k], sign * part_of(second->half, k));
    static const int around[4][2] = {{-1, -1}, {1, -1}, {1, 1}, {-1, 1}};
    for (int m = 0; m < 4; m++) {
        vec at = plus(middle, second->axes[u], around[m][0] * part_of(second->half, u));
        corners[0][m].at = plus(at, second->axes[v], around[m][1] * part_of(second->half, v)), corners[0][m].name = m;
    }
    /* Each corner has a mark by which the next step knows it again: its own, or that of the cut that made it. */
    for (int side = 1; side < 3; side++)
        for (double to = 1.0; to > -2.0; to -= 2.0) {
            int edge_axis = (axis + side) % 3, kept = 0;
            vec edge = times(first->axes[edge_axis], to);
            double level = dot(first->at, edge) + part_of(first->half, edge_axis);
            cut += 2;
            for (int m = 0; m < count; m++) {
                int next = (m + 1) % count;
                double here = dot(corners[now][m].at, edge) - level, there = dot(corners[now][next].at, edge) - level;
                if (here <= 0.0) corners[1 - now][kept++] = corners[now][m];
                if (here * there < 0.0) {
                    vec along = sub(corners[now][next].at, corners[now][m].at);
                    corners[1 - now][kept].at = plus(corners[now][m].at, along, here / (here - there));
                    corners[1 - now][kept++].name = 2 + cut + (here > 0.0);
                }
            }
            now = 1 - now, count = kept;
        }
    for (int m = 0; m < count; m++) {
        double depth = part_of(first->half, axis) - dot(sub(corners[now][m].at, first->at), out);
        uint64_t mark = (uint64_t)(swapped * 48 + axis * 16 + corners[now][m].name);
        found(e, of, mark, plus(corners[now][m].at, out, 0.5 * depth), out, depth, swapped);
    }
}

static void boxes(ironspin_engine *e, const contact *of, const part *a, const part *b) {
    vec between = sub(b->at, a->at), best_normal = {0, 1, 0};
    double best = INFINITY, smallest = fmin(fmin(a->half.x, fmin(a->half.y, a->half.z)), fmin(b->half.x, fmin(b->half.y, b->half.z)));
    int chosen = -1;
    /* The direction in which they overlap least: 6 faces, then 9 pairs of edges; the earlier unless by a hair, for a
     * choice that changed from step to step would lose what is known of the last. */
    for (int k = 0; k < 15; k++) {
        vec normal = k < 3 ? a->axes[k] : k < 6 ? b->axes[k - 3] : cross(a->axes[(k - 6) / 3], b->axes[(k - 6) % 3]);
        if (dot(normal, normal) < 1e-8) continue;
        normal = unit(normal);
        if (dot(normal, between) < 0.0) normal = times(normal, -1.0);
        double overlap = reach(a, normal) + reach(b, normal) - dot(between, normal);
        if (overlap < -MARGIN) return;
        double favour = k == 0 ? 0.0 : (k < 3 ? 0.0 : k < 6 ? 0.01 : 0.02) * smallest;
        if (overlap < best - favour) best = overlap, chosen = k, best_normal = normal;
    }
    if (chosen >= 6) edge_edge(e, of, a, b, (chosen - 6) / 3, (chosen - 6) % 3, best_normal, best);
    else if (chosen >= 3) clip(e, of, b, a, chosen - 3, times(best_normal, -1.0), 1);
    else clip(e, of, a, b, chosen, best_normal, 0);
}

static void on_plane(ironspin_engine *e, const contact *of, const part *plane, const part *b, int swapped) {
    int box = b->shape == IRONSPIN_BOX;
    for (int k = 0; k < (box ? 8 : 1); k++) {
        vec point = box ? corner(b, k) : plus(b->at, plane->out, -b->radius);
        found(e, of, (uint64_t)k, point, plane->out, dot(sub(plane->at, point), plane->out), swapped);
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
    /* Half spaces first, then boxes, then spheres; `swapped` where the first is not the body with the smaller id. */
    int rank_p = p->shape == IRONSPIN_HALF_SPACE ? 0 : p->shape == IRONSPIN_BOX ? 1 : 2;
    int rank_q = q->shape == IRONSPIN_HALF_SPACE ? 0 : q->shape == IRONSPIN_BOX ? 1 : 2;
    int swapped = rank_p > rank_q;
    if (swapped) { const part *other = p; p = q, q = other; }
    if (p->shape == IRONSPIN_HALF_SPACE) {
        if (q->shape != IRONSPIN_HALF_SPACE) on_plane(e, &of, p, q, swapped);
    } else if (q->shape == IRONSPIN_BOX) boxes(e, &of, p, q);
    else if (p->shape == IRONSPIN_BOX) box_sphere(e, &of, p, q, swapped);
    else spheres(e, &of, p->at, p->radius, q, swapped);
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

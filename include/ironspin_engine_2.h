/* The engine interface of Iron Spin for shared libraries, version 2: worlds of the plane and of space. C11; usable from C++.
 *
 * Version 1 (ironspin_engine.h) knows the plane alone, and libraries that were built with it stay welcome.
 *
 * Build a shared library that exports the functions below and join it with
 *
 *     ironspin engines probe lib:./libmyengine.so
 *     ironspin run first-drop --engine lib:./libmyengine.so
 *
 * It is loaded by a process of its own, so that what it breaks is a verdict and not the end of the bench. All calls
 * come from one thread. Nothing that one side has allocated is freed by the other: the bench's arrays hold until the
 * call returns, the library's texts until its next call.
 *
 * SI units. Full sizes, never half. y up by habit, but gravity is a vector of the world. Every vector has three numbers; in a world of the
 * plane the third is 0, and a spin or torque is about z. Quaternions are Hamilton's, scalar first, and turn from the body's axes to the
 * world's. Readings of every word are those of docs/engine-protocol.md; this is the same protocol as plain arrays.
 */
#ifndef IRONSPIN_ENGINE_2_H
#define IRONSPIN_ENGINE_2_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define IRONSPIN_INTERFACE 2u

#if defined(_WIN32)
#define IRONSPIN_EXPORT __declspec(dllexport)
#else
#define IRONSPIN_EXPORT __attribute__((visibility("default")))
#endif

/* What a call gives back. */
enum {
    IRONSPIN_OK = 0,
    IRONSPIN_UNSUPPORTED = 1,   /* the feature that ironspin_last_error names is not there: the trial is `unsupported` */
    IRONSPIN_NOTHING_BUILT = 2, /* the call needs a world */
    IRONSPIN_BAD_VALUE = 3,     /* the bench asked for something wrong */
    IRONSPIN_FAILED = 4         /* anything else */
};

enum { IRONSPIN_STATIC = 0, IRONSPIN_KINEMATIC = 1, IRONSPIN_DYNAMIC = 2 };

/* Shapes, with the numbers of a part. */
enum {
    IRONSPIN_DISC = 0,      /* radius */
    IRONSPIN_BOX = 1,       /* width, height; in space width, height, depth */
    IRONSPIN_POLYGON = 2,   /* x, y of each corner; convex, either sense */
    IRONSPIN_CAPSULE = 3,   /* length between the centres of its caps along the local x axis, radius */
    IRONSPIN_POLYLINE = 4,  /* x, y of each point; two-sided, static only, closed where the last repeats the first */
    IRONSPIN_HALF_PLANE = 5, /* normal x, y out of the solid; the surface goes through the part's position */
    IRONSPIN_SPHERE = 6,    /* radius; in space */
    IRONSPIN_HALF_SPACE = 7, /* normal x, y, z out of the solid; the surface goes through the part's position; in space */
    IRONSPIN_CYLINDER = 8,  /* length along the local x axis, radius; in space */
    IRONSPIN_HULL = 9,      /* x, y, z of each corner of a convex body, 4 to 256, none within the others; in space */
    IRONSPIN_MESH = 10      /* number of points; x, y, z of each; three numbers of points, from 0 on, for each triangle, counter-clockwise seen from
                             * outside; two-sided, static only, no sensor; in space */
};

enum {
    IRONSPIN_ROD = 0,
    IRONSPIN_SPRING = 1,
    IRONSPIN_HINGE = 2,
    IRONSPIN_SLIDER = 3,
    IRONSPIN_WELD = 4,
    IRONSPIN_ROPE = 5,
    IRONSPIN_SOCKET = 6 /* anchors together, free to turn about any axis; in space */
};

/* Kinds of action, and where its value stands. */
enum {
    IRONSPIN_IMPULSE = 0,  /* vector, at point */
    IRONSPIN_FORCE = 1,    /* vector, at point, for the next step only */
    IRONSPIN_TORQUE = 2,   /* vector along the world's axes, for the next step only */
    IRONSPIN_VELOCITY = 3, /* vector */
    IRONSPIN_SPIN = 4,     /* vector along the world's axes */
    IRONSPIN_PLACE = 5,    /* vector is the position; rotation, and in the plane angle, how it is turned */
    IRONSPIN_REMOVE = 6,
    IRONSPIN_ADD = 7,      /* feature `absent` */
    IRONSPIN_SPLIT = 8,    /* feature `absent`: pieces are the bodies that come in */
    IRONSPIN_GRAVITY = 9,  /* vector; body means nothing */
    IRONSPIN_MOVE_BY = 10, /* feature `soft`: nodes are moved by vector */
    IRONSPIN_HOLD = 11     /* feature `soft`: nodes are held where they are, or by held = 0 let go from rest */
};

typedef struct ironspin_material {
    const char *name; /* UTF-8 */
    double friction;
    double restitution;
} ironspin_material;

/* Friction and restitution of two materials, instead of the mixed values. */
typedef struct ironspin_pair {
    uint64_t between[2];
    double friction;
    double restitution;
} ironspin_pair;

typedef struct ironspin_part {
    uint32_t shape;
    uint32_t sensor; /* 1: notices and pushes nothing */
    uint64_t first_number; /* into numbers of the world */
    uint64_t number_count;
    double position[3]; /* in the body's frame */
    double rotation[4]; /* w, x, y, z */
    double angle;       /* in the plane, counted on through whole turns; 0 in space */
    uint64_t material;
} ironspin_part;

/* A body's number in the list is its id. Its position is its centre of mass. */
typedef struct ironspin_body {
    const char *name; /* UTF-8 */
    uint32_t kind;
    uint32_t fixed_turn;
    uint32_t swept;
    uint32_t absent; /* 1: not there until an action adds it; asked for with the feature `absent` only */
    uint32_t layers;
    uint32_t meets;
    double position[3];
    double rotation[4]; /* w, x, y, z */
    double angle;       /* in the plane, counted on through whole turns; 0 in space */
    double velocity[3];
    double spin[3];    /* along the world's axes */
    double mass;       /* 0 for static and kinematic bodies */
    double inertia[6]; /* about the centre of mass along the body's axes: xx, yy, zz, xy, xz, yz; in the plane zz alone */
    double linear_damping;
    double angular_damping;
    double gravity_factor;
    uint64_t first_part; /* into parts of the world */
    uint64_t part_count;
} ironspin_body;

typedef struct ironspin_joint {
    uint32_t kind;
    uint32_t has_length; /* 0: the distance as built */
    uint32_t has_limits;
    uint32_t unused;
    uint64_t bodies[2];
    double anchors[6]; /* x, y, z in the first body's frame; x, y, z in the second's */
    double length;
    double stiffness;
    double damping;
    double axis[3]; /* of a slider, and in space of a hinge, in the first body's frame */
    double limits[2];
} ironspin_joint;

/* Soft bodies: feature `soft`. The ids of soft bodies follow those of the rigid ones: of n bodies and m softs, 0 to n-1 and n to n+m-1. Nodes,
 * springs, pieces of skin and cells of all of them stand in common lists; ends of springs, skin and cells are numbers of nodes within their
 * soft body. */
typedef struct ironspin_soft {
    const char *name; /* UTF-8 */
    uint64_t material;
    double radius; /* nodes and skin are rounded by it */
    uint32_t layers;
    uint32_t meets;
    uint32_t swept;
    uint32_t absent;
    uint32_t touches_itself;
    uint32_t has_pressure;
    double gravity_factor;
    double damping; /* the speed of a node falls as exp(-damping t) */
    double amount;  /* n R T of the gas in its closed skin, J: p = amount / volume - outside */
    double outside; /* Pa */
    uint64_t first_node;
    uint64_t node_count;
    uint64_t first_spring;
    uint64_t spring_count;
    uint64_t first_skin;
    uint64_t skin_count;
    uint64_t first_cell;
    uint64_t cell_count;
} ironspin_soft;

/* A node of mass 0 is held. */
typedef struct ironspin_node {
    double position[3];
    double velocity[3];
    double mass;
} ironspin_node;

/* Pulls with stiffness * (l - length) + damping * dl/dt. */
typedef struct ironspin_spring {
    uint64_t ends[2];
    double length;
    double stiffness;
    double damping;
} ironspin_spring;

/* A distance that stays; ends are nodes of its soft body. */
typedef struct ironspin_stick {
    uint64_t ends[2];
    double length;
} ironspin_stick;

/* Laws of a soft body beside its springs and its gas, one for each soft body in their order. */
typedef struct ironspin_law {
    uint64_t first_stick;
    uint64_t stick_count;
    uint32_t has_matching;
    uint32_t has_yield;
    double matching; /* nodes are drawn to the built shape, moved rigidly, by m w^2 (goal - x); w in rad/s */
    double strain;   /* beyond which, in amount, a spring's length is moved until it is not; a share of the length given here */
    double most;     /* the length never leaves that given here by a larger share */
} ironspin_law;

/* A node that is held to a point of a rigid body: force and torque are passed on, and the two do not collide. One of mass 0 goes with a static or
 * kinematic body, and a dynamic one hangs on it. */
typedef struct ironspin_pin {
    uint64_t soft; /* number of the soft body among the soft ones */
    uint64_t node; /* within it */
    uint64_t body;
    double point[3]; /* in the frame of the body */
} ironspin_pin;

typedef struct ironspin_world {
    uint64_t size; /* bytes of this structure up to soft_count in a world without soft bodies; up to stick_count in one whose soft bodies have no
                    * sticks, matching, yield and pins; up to pin_count where they have no pins; and else of all of it */
    uint32_t space; /* 2 or 3 */
    uint32_t threads; /* that the engine may use */
    uint64_t seed;
    double gravity[3];
    double dt; /* the usual step; every step has its own */
    uint64_t material_count;
    uint64_t pair_count;
    uint64_t body_count;
    uint64_t part_count;
    uint64_t number_count;
    uint64_t joint_count;
    uint64_t apart_count;
    const ironspin_material *materials;
    const ironspin_pair *pairs;
    const ironspin_body *bodies;
    const ironspin_part *parts;
    const double *numbers;
    const ironspin_joint *joints;
    const uint64_t *apart; /* two ids a pair: bodies that never touch each other */
    /* What follows is there in worlds with soft bodies only. */
    uint64_t soft_count;
    uint64_t node_count;
    uint64_t spring_count;
    uint64_t skin_count;
    uint64_t cell_count;
    const ironspin_soft *softs;
    const ironspin_node *nodes;
    const ironspin_spring *springs;
    const uint64_t *skin;  /* two nodes a segment, the inside to its left; in space three a triangle, counter-clockwise from outside */
    const uint64_t *cells; /* three nodes a triangle, counter-clockwise, in space four a tetrahedron; they carry no force */
    /* What follows is there where a soft body has sticks, matching or yield: see size. */
    uint64_t stick_count;
    const ironspin_stick *sticks;
    const ironspin_law *laws; /* as many as soft bodies */
    /* What follows is there where a soft body has pins: see size. */
    uint64_t pin_count;
    const ironspin_pin *pins;
} ironspin_world;

typedef struct ironspin_action {
    uint32_t kind;
    uint32_t has_point; /* 0: at the centre of mass */
    uint64_t body;
    double vector[3];
    double point[3];    /* in world coordinates */
    double rotation[4]; /* w, x, y, z */
    double angle;       /* in the plane; 0 in space */
    uint64_t piece_count;
    const uint64_t *pieces;
    uint64_t node;     /* of the soft body that body names */
    uint32_t has_node; /* 0: the body, or the soft body as a whole: impulse and force are shared by mass among its free nodes */
    uint32_t held;
} ironspin_action;

typedef struct ironspin_hit {
    uint64_t body;
    double point[3];
    double normal[3];
    double distance;
} ironspin_hit;

/* Yours. */
typedef struct ironspin_engine ironspin_engine;

/* --- To be exported by every library ------------------------------------------------------------------------- */

/* IRONSPIN_INTERFACE, as the library was built with. Asked first; anything else ends the matter. */
IRONSPIN_EXPORT uint32_t ironspin_interface(void);

/* What `hello` of the protocol answers, as JSON in UTF-8, without `protocol`: name, version, shapes, features,
 * options. What is not listed is not asked for. */
IRONSPIN_EXPORT const char *ironspin_describe(void);

/* A new engine, or NULL. */
IRONSPIN_EXPORT ironspin_engine *ironspin_create(void);
IRONSPIN_EXPORT void ironspin_destroy(ironspin_engine *engine);

/* Why the last call failed, or which feature is missing. UTF-8; never NULL after a failure. */
IRONSPIN_EXPORT const char *ironspin_last_error(ironspin_engine *engine);

/* Replaces the world, at step 0. The arrays hold until the call returns. */
IRONSPIN_EXPORT int32_t ironspin_build(ironspin_engine *engine, const ironspin_world *world);

/* Does something before the next step. Called in the order in which things are to be done. */
IRONSPIN_EXPORT int32_t ironspin_act(ironspin_engine *engine, const ironspin_action *action);

/* One step of dt seconds. A step of length 0 changes nothing. */
IRONSPIN_EXPORT int32_t ironspin_step(ironspin_engine *engine, double dt);

/* In the plane six numbers a body, in the order of the ids: x, y, angle, vx, vy, spin; in space thirteen: x, y, z, qw, qx, qy, qz, vx, vy, vz,
 * wx, wy, wz. Then, soft body after soft body, four numbers a node: x, y, vx, vy; in space six. All not-a-number for what was removed. */
IRONSPIN_EXPORT int32_t ironspin_state(ironspin_engine *engine, double *rows);

/* --- To be exported by those that list the feature ----------------------------------------------------------- */

/* Any option: called before a build, once for each option that was set. */
IRONSPIN_EXPORT int32_t ironspin_option(ironspin_engine *engine, const char *name, const char *value);

/* `contacts`: in the plane nine numbers a contact of the last step: i, j, px, py, nx, ny, depth, impulse, times; in space eleven: i, j, px, py,
 * pz, nx, ny, nz, depth, impulse, times; i < j, normal
 * from i to j, depth positive in overlap, impulse along the normal over the step in N s, times how many impacts of
 * the pair the row stands for (1 where it lasts). Writes `room` rows at most and gives back how many there are. */
IRONSPIN_EXPORT uint64_t ironspin_contacts(ironspin_engine *engine, double *rows, uint64_t room);

/* `events`, `sensor`: five numbers for each thing that a sensor noticed in the last step, or as built: 0 enter or
 * 1 leave, sensor body, sensor part, other body, other part. Writes `room` rows at most, gives back how many. */
IRONSPIN_EXPORT uint64_t ironspin_events(ironspin_engine *engine, uint64_t *rows, uint64_t room);

/* `restore`: keeps the present state; the token holds until the next build. */
IRONSPIN_EXPORT int32_t ironspin_save(ironspin_engine *engine, uint64_t *token);
IRONSPIN_EXPORT int32_t ironspin_restore(ironspin_engine *engine, uint64_t token);

/* `ray`: the first solid part from ends[0..2] to ends[3..5]; 1 in `found` and the hit, or 0. */
IRONSPIN_EXPORT int32_t ironspin_ray(ironspin_engine *engine, const double *ends, uint32_t *found, ironspin_hit *hit);

#ifdef __cplusplus
}
#endif

#endif

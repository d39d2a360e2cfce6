//! Libraries that misbehave in each way that the C interface allows.

use super::watched::{Must, watched};
use crate::remote::run;
use crate::util::Yard;
use std::process::Command;

const LIBRARY: &str = r#"
#include "ironspin_engine.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <signal.h>
#include <unistd.h>
static double rows[600];
static uint64_t count;
uint32_t ironspin_interface(void) { return MODE == 4 ? 7 : IRONSPIN_INTERFACE; }
const char *ironspin_describe(void) {
    return MODE == 5 ? "no JSON" : MODE == 9 ? NULL : "{\"engine\":{\"name\":\"saboteur\"},\"shapes\":[\"disc\",\"box\",\"half_plane\"],\"features\":[]}";
}
ironspin_engine *ironspin_create(void) { return MODE == 11 ? NULL : (ironspin_engine *)rows; }
void ironspin_destroy(ironspin_engine *e) { (void)e; if (MODE == 12) for (;;) {} if (MODE == 13) abort(); }
const char *ironspin_last_error(ironspin_engine *e) { (void)e; return MODE == 14 ? NULL : "the \033[31mwinch broke"; }
int32_t ironspin_build(ironspin_engine *e, const ironspin_world *w) {
    (void)e;
    count = w->body_count;
    for (uint64_t i = 0; i < count; i++) memcpy(rows + 6 * i, w->bodies[i].position, 16);
    return IRONSPIN_OK;
}
int32_t ironspin_act(ironspin_engine *e, const ironspin_action *a) { (void)e; (void)a; return IRONSPIN_OK; }
#if MODE == 10
#define ironspin_step misspelt_step
#endif
int32_t ironspin_step(ironspin_engine *e, double dt) {
    static volatile int *nowhere;
    static int steps;
    (void)e; (void)dt;
    if (++steps < 5) return IRONSPIN_OK;
    if (MODE == 1) *nowhere = 1;
    if (MODE == 2) abort();
    if (MODE == 3) for (;;) {}
    if (MODE == 6 || MODE == 14) return IRONSPIN_FAILED;
    if (MODE == 15) raise(SIGSTOP);
    if (MODE == 16) for (;;) memset(malloc(1 << 20), 1, 1 << 20);
    if (MODE == 17) for (;;) puts("the winch squeals");
    if (MODE == 18 && steps == 5 && fork() == 0) { setsid(); for (;;) sleep(1000); }
    if (MODE == 19) close(1), close(2), _exit(9);
    if (MODE == 20) rows[1] = 0.0 / 0.0;
    if (MODE == 21) rows[1] = 1.0 / 0.0;
    if (MODE == 7) exit(0);
    printf("talk on standard output harms nothing\n");
    return IRONSPIN_OK;
}
uint64_t ironspin_contacts(ironspin_engine *e, double *to, uint64_t room) {
    static uint64_t more = 1;
    static const double row[9] = {0, 1, 0, 0, 0, 1, 0, 1, 1};
    (void)e; (void)to; (void)room; (void)row;
    if (MODE == 22) return UINT64_MAX;
    if (MODE == 23) return more *= 4;
    if (MODE == 24) return 1u << 20;
    if ((MODE == 25 || MODE == 26) && room == 0) return 1;
    if (MODE == 25) { memcpy(to, row, sizeof row); to[1] = 1e9; return 1; }
    if (MODE == 26) { memcpy(to, row, sizeof row); to[0] = -1; return 1; }
    return 0;
}
uint64_t ironspin_events(ironspin_engine *e, uint64_t *to, uint64_t room) {
    (void)e; (void)to; (void)room;
    if (MODE == 27) return UINT64_MAX / 2;
    if (MODE == 28 && room > 0) { memset(to, 255, 40); return 1; }
    return MODE == 28;
}
int32_t ironspin_state(ironspin_engine *e, double *to) { (void)e; memcpy(to, rows, 48 * count); return IRONSPIN_OK; }
"#;

/// The library in one of its ways.
fn built(yard: &Yard, mode: u32) -> String {
    let include = concat!(env!("CARGO_MANIFEST_DIR"), "/../../include");
    let file = format!("saboteur{mode}.so");
    yard.write("saboteur.c", LIBRARY);
    let words = ["-std=gnu11", "-shared", "-fPIC", "-w", "-I", include, "saboteur.c", "-o", &file];
    let mode = format!("-DMODE={mode}");
    let done = Command::new("cc").current_dir(yard.path("")).args(words).arg(mode).status().expect("a C compiler");
    assert!(done.success());
    format!("lib:./{file}")
}

#[test]
fn libraries_that_crash_or_hang_cost_their_own_trial() {
    let yard = Yard::new();
    for (mode, words) in [
        (1, "signal 11 (SIGSEGV)"),
        (2, "signal 6 (SIGABRT)"),
        (3, "no answer in"),
        (4, "version 7 of the interface"),
        (5, "ironspin_describe gave no JSON"),
        (6, "\\u{1b}[31mwinch broke"),
        (7, "no answer to"),
        (9, "ironspin_describe gave nothing"),
        (10, "it has no function `ironspin_step`"),
        (11, "ironspin_create gave nothing"),
        (14, "it does not say why"),
        (15, "no answer in"),
        (16, "200000000 bytes are its limit"),
        (17, "no answer in"),
        (19, "no answer to"),
        (20, "is not finite"),
        (21, "is not finite"),
        (22, "up to 500128 are taken"),
        (23, "ever more contacts"),
        (24, "up to 500128 are taken"),
        (25, "contact"),
        (26, "contact"),
        (27, "up to 500128 are taken"),
        (28, "an event"),
    ] {
        // Only those that hang have to wait for their limit; the others must not meet it on a busy machine.
        let limits = if matches!(mode, 3 | 15 | 17) { "step=0.02" } else { "step=20,memory=200MB" };
        watched(&yard, &built(&yard, mode), limits, &[], &Must::Fail(words));
    }
    watched(&yard, "lib:./no-such.so", "", &[], &Must::Fail("cannot be loaded"));
}

#[test]
fn libraries_that_behave_in_all_that_counts() {
    let yard = Yard::new();
    // It does not fall, which a claim says; nothing is an engine error. Some hang or crash when they are done with, and one has left a
    // process behind.
    for mode in [8, 12, 13, 18] {
        let (status, out, err) = run(&yard, &["run", "first-drop", "--engine", &built(&yard, mode), "-q"]);
        assert!(status == 1 && out.contains("1 fail"), "{mode}: {out}{err}");
        assert_eq!(
            cfg!(target_os = "linux") && mode == 18,
            err.contains("1 of them in a process group apart"),
            "{err}"
        );
    }
}

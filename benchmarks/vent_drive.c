// The block VentDrive of the example library, 500 times, by hand.
#include <stdbool.h>
#include <stdint.h>
#include <stdlib.h>

static int64_t now;

typedef struct { bool in, q, running; int64_t pt, et, started; } Ton;

static void ton(Ton *t) {
    if (!t->in) { t->q = false; t->et = 0; t->running = false; return; }
    if (!t->running) { t->running = true; t->started = now; }
    t->et = now - t->started;
    if (t->q || t->et >= t->pt) { t->q = true; t->et = t->pt; }
}

enum { RESTS = 0, OPENS = 1, SHUTS = 2, PAUSES = 3, FAILED = 9 };

typedef struct {
    bool open, close, at_open, at_shut, reset;
    int64_t travel;
    bool opening, closing, stuck;
    int16_t state;
    Ton running, resting;
} VentDrive;

static void vent_drive(VentDrive *v) {
    switch (v->state) {
    case RESTS:
        if (v->open && !v->close && !v->at_open) v->state = OPENS;
        else if (v->close && !v->open && !v->at_shut) v->state = SHUTS;
        break;
    case OPENS:
        if (v->at_open || v->close || !v->open) v->state = PAUSES;
        else if (v->running.q) v->state = FAILED;
        break;
    case SHUTS:
        if (v->at_shut || v->open || !v->close) v->state = PAUSES;
        else if (v->running.q) v->state = FAILED;
        break;
    case PAUSES:
        if (v->resting.q) v->state = RESTS;
        break;
    case FAILED:
        if (v->reset && !v->open && !v->close) v->state = RESTS;
        break;
    default:
        v->state = RESTS;
    }
    v->opening = v->state == OPENS;
    v->closing = v->state == SHUTS;
    v->stuck = v->state == FAILED;
    v->running.in = v->opening || v->closing;
    v->running.pt = v->travel;
    ton(&v->running);
    v->resting.in = v->state == PAUSES;
    v->resting.pt = 1000000000;
    ton(&v->resting);
}

static VentDrive vents[500];
static int16_t count;
static int32_t order[50];

void reset(void) {
    count = 0;
    for (int j = 0; j < 50; j++) order[j] = 0;
    for (int i = 0; i < 500; i++) {
        vents[i] = (VentDrive){0};
        vents[i].travel = 40000000000;
    }
}

// Runs scans of 100 ms and returns a sum over the states, to compare.
int64_t run(int scans) {
    for (int k = 0; k < scans; k++) {
        now = k * 100000000LL;
        count = (int16_t)((count + 1) % 600);
        bool up = count < 300;
        bool top = count > 150 && count < 310;
        bool bottom = count > 480;
        for (int i = 0; i < 500; i++) {
            vents[i].open = up;
            vents[i].close = !up;
            vents[i].at_open = top;
            vents[i].at_shut = bottom;
            vent_drive(&vents[i]);
        }
    }
    int64_t sum = 0;
    for (int i = 0; i < 500; i++) sum += vents[i].state * (i + 1) + vents[i].running.et % 1000003;
    return sum;
}

// The same in an array with a row for each fifty, found by division; their phases differ by row.
int64_t run_hall(int scans) {
    static bool up[10], top[10], bottom[10];
    for (int k = 0; k < scans; k++) {
        now = k * 100000000LL;
        count = (int16_t)((count + 1) % 600);
        for (int32_t j = 0; j < 10; j++) {
            int16_t phase = (int16_t)((count + j * 60) % 600);
            up[j] = phase < 300;
            top[j] = phase > 150 && phase < 310;
            bottom[j] = phase > 480;
        }
        for (int32_t i = 0; i < 500; i++) {
            vents[i].open = up[i / 50];
            vents[i].close = !up[i / 50];
            vents[i].at_open = top[i / 50];
            vents[i].at_shut = bottom[i / 50];
            vent_drive(&vents[i]);
            order[i % 50] += i / 50;
        }
    }
    int64_t sum = 0;
    for (int i = 0; i < 500; i++) sum += vents[i].state * (i + 1);
    for (int j = 0; j < 50; j++) sum += order[j];
    return sum;
}

// A plant of any size: points are copied to tags, a vent is called with its tags, and its command goes to a point.
static VentDrive *plant;
static uint8_t *in, *out;
static bool *want, *opened, *cmd;
static int plant_size;

void build(int size) {
    plant_size = size;
    plant = calloc(size, sizeof *plant);
    in = calloc(size, 1), out = calloc(size, 1);
    want = calloc(size, 1), opened = calloc(size, 1), cmd = calloc(size, 1);
    for (int i = 0; i < size; i++) {
        plant[i].travel = 40000000000;
        in[i / 2] |= 1 << (i % 2 * 4 + 1);
        if (i % 3 == 0) in[i / 2] |= 1 << i % 2 * 4;
    }
}

// The sum over the states after so many more scans, the first of which has the number `first`.
int64_t run_plant(int first, int scans) {
    for (int k = first; k < first + scans; k++) {
        now = k * 100000000LL;
        for (int i = 0; i < plant_size; i++) want[i] = in[i / 2] >> i % 2 * 4 & 1;
        for (int i = 0; i < plant_size; i++) opened[i] = !(in[i / 2] >> (i % 2 * 4 + 1) & 1);
        for (int i = 0; i < plant_size; i++) {
            plant[i].open = want[i];
            plant[i].at_open = opened[i];
            plant[i].travel = 40000000000;
            vent_drive(&plant[i]);
            cmd[i] = plant[i].opening;
        }
        for (int i = 0; i < plant_size; i++) out[i / 8] = (out[i / 8] & ~(1 << i % 8)) | cmd[i] << i % 8;
    }
    int64_t sum = 0;
    for (int i = 0; i < plant_size; i++) sum += plant[i].state * (i + 1);
    return sum;
}

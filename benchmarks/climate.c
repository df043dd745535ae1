// The block Climate of climate.st, 100 times, by hand.
#include <stdint.h>

typedef struct { int32_t sum; int16_t low, high; } Quarter;

typedef struct {
    int16_t raw, range, next;
    float mean;
    int16_t readings[32];
    Quarter quarters[4];
} Climate;

static void climate(Climate *c) {
    c->readings[c->next] = c->raw;
    c->next = (int16_t)((c->next + 1) % 32);
    for (int16_t q = 0; q < 4; q++) c->quarters[q] = (Quarter){0, 32767, -32768};
    for (int16_t i = 0; i < 32; i++) {
        int16_t v = c->readings[i];
        Quarter *q = &c->quarters[i / 8];
        q->sum += v;
        if (v < q->low) q->low = v;
        if (v > q->high) q->high = v;
    }
    int32_t sum = 0;
    int16_t low = 32767, high = -32768;
    for (int16_t q = 0; q < 4; q++) {
        sum += c->quarters[q].sum;
        if (c->quarters[q].low < low) low = c->quarters[q].low;
        if (c->quarters[q].high > high) high = c->quarters[q].high;
    }
    c->mean = (float)sum / 32.0f;
    c->range = (int16_t)(high - low);
}

static Climate bays[100];
static int16_t k;

void reset(void) {
    k = 0;
    for (int i = 0; i < 100; i++) bays[i] = (Climate){0};
}

double run(int scans) {
    for (int s = 0; s < scans; s++) {
        k = (int16_t)(k + 7);
        for (int i = 0; i < 100; i++) {
            bays[i].raw = (int16_t)(k + i + 1);
            climate(&bays[i]);
        }
    }
    double sum = 0;
    for (int i = 0; i < 100; i++) sum += bays[i].mean + bays[i].range;
    return sum;
}

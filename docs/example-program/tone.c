/* A receiver for Yard Dial as a program: hears one steady tone, 440 Hz above its centre. See docs/program.md.
   cc -O2 -o tone tone.c -lm */
#define _DEFAULT_SOURCE
#include <math.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#define BLOCK 2400
static double rate = 0, gain = 10;
static long written = 0;

/* A number behind "name": in a line of JSON; a real program takes a library for this. */
static double number(const char *line, const char *name, double otherwise) {
    char key[64];
    snprintf(key, sizeof key, "\"%s\":", name);
    const char *at = strstr(line, key);
    return at ? strtod(at + strlen(key), NULL) : otherwise;
}

static void settle(const char *line) {
    long id = (long)number(line, "id", 0);
    double centre = number(line, "centre_hz", 0), wanted = number(line, "rate_hz", 0);
    const char *why = NULL, *what = "";
    if (centre < 1e6 || centre > 30e6) why = "it tunes 1 to 30 MHz: dial inside that", what = "centre";
    else if (wanted != 48000 && wanted != 96000) why = "it has 48 and 96 kS/s: choose one of these";
    else if (!strstr(line, "\"port\":\"\"")) why = "it has one port, without a name";
    else if (strstr(line, "\"automatic_gain\":true") || strstr(line, "\"bias\":true")) why = "it has one gain, no more";
    else if (!strstr(line, "\"gains_db\":{}") && !strstr(line, "{\"gain\":")) why = "its one gain stage is 'gain'";
    if (why) {
        printf("{\"say\":\"refused\",\"id\":%ld,\"what\":\"%s\",\"why\":\"%s\"}\n", id, what, why);
    } else {
        double asked = number(line, "gain", gain);
        gain = asked < 5 ? 0 : asked < 15 ? 10 : 20;
        rate = wanted;
        printf("{\"say\":\"got\",\"id\":%ld,\"centre_hz\":%.3f,\"rate_hz\":%.0f,\"gains_db\":{\"gain\":%g},"
               "\"from_sample\":%ld}\n", id, centre, rate, gain, written);
    }
}

int main(void) {
    FILE *samples = fopen(getenv("YARD_DIAL_SAMPLES"), "wb");
    char line[4096];
    setvbuf(stdin, NULL, _IONBF, 0);
    setvbuf(stdout, NULL, _IOLBF, 0);
    if (!samples) return 1;
    for (;;) {
        struct pollfd in = {0, POLLIN, 0};
        if (poll(&in, 1, rate ? (int)(1000 * BLOCK / rate) : -1)) {
            if (!fgets(line, sizeof line, stdin) || strstr(line, "\"do\":\"stop\"")) return 0;
            if (strstr(line, "\"do\":\"capabilities\""))
                printf("{\"say\":\"capabilities\",\"version\":1,\"name\":\"Tone\",\"format\":\"cf32\","
                       "\"ranges_hz\":[[1e6,30e6]],\"rates_hz\":[48000,96000],"
                       "\"gains\":[{\"name\":\"gain\",\"steps_db\":[0,10,20]}]}\n");
            if (strstr(line, "\"do\":\"set\"")) settle(line);
            continue;
        }
        for (long end = written + BLOCK; written < end; written++) {
            double turn = fmod(440.0 / rate * written, 1.0), level = 0.01 * pow(10, gain / 20);
            float point[2] = {level * cos(2 * M_PI * turn), level * sin(2 * M_PI * turn)};
            fwrite(point, sizeof point, 1, samples);
        }
        fflush(samples);
    }
}

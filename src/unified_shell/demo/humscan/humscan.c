/* Turns a recording of a hive into the spectrum of its hum: the power at each pitch, by Goertzel's algorithm.
 *
 * Usage: humscan [-j PROCESSES] RECORDING.wav SPECTRUM.csv
 *
 * The recording is RIFF/WAVE, one channel of 16 bits. Pitches from 100 to 590 Hz, every 10 Hz, are shared out among the
 * processes, each of which writes into memory that all see; so the result does not depend on how many there are.
 */
#include <math.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/wait.h>
#include <unistd.h>

#define FIRST_HZ 100
#define STEP_HZ 10
#define PITCHES 50
#define MOST_PROCESSES 64

static int16_t *samples;
static uint32_t count, rate;

static int fail(const char *what, const char *name) {
  fprintf(stderr, "humscan: %s: %s\n", name, what);
  return 1;
}

static int read_recording(const char *name) {
  unsigned char head[44];
  FILE *file = fopen(name, "rb");
  if (!file) return fail("cannot be opened", name);
  if (fread(head, 1, 44, file) != 44 || memcmp(head, "RIFF", 4) || memcmp(head + 8, "WAVEfmt ", 8)) {
    fclose(file);
    return fail("is not a recording", name);
  }
  rate = head[24] | head[25] << 8 | head[26] << 16 | (uint32_t)head[27] << 24;
  count = (head[40] | head[41] << 8 | head[42] << 16 | (uint32_t)head[43] << 24) / 2;
  samples = malloc(count ? 2 * (size_t)count : 1);
  if (!samples || fread(samples, 2, count, file) != count || !count || !rate) {
    fclose(file);
    return fail("is cut short", name);
  }
  fclose(file);
  return 0;
}

static double power_at(double hertz) {
  const double turn = 2.0 * cos(2.0 * M_PI * hertz / rate);
  double one = 0.0, two = 0.0;
  for (uint32_t at = 0; at < count; at++) {
    const double now = samples[at] / 32768.0 + turn * one - two;
    two = one;
    one = now;
  }
  return (one * one + two * two - turn * one * two) / ((double)count * count);
}

int main(int many, char **words) {
  int processes = 1, option;
  if (many == 2 && !strcmp(words[1], "--version")) {
    puts("humscan 1.4.0");
    return 0;
  }
  while ((option = getopt(many, words, "j:")) != -1) {
    if (option != 'j' || (processes = atoi(optarg)) < 1 || processes > MOST_PROCESSES) many = 0;
  }
  if (many - optind != 2) {
    fputs("usage: humscan [-j PROCESSES] RECORDING.wav SPECTRUM.csv\n", stderr);
    return 2;
  }
  if (read_recording(words[optind])) return 1;
  double *powers = mmap(NULL, PITCHES * sizeof *powers, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
  if (powers == MAP_FAILED) return fail("no memory", "the spectrum");
  for (int part = 0; part < processes; part++) {
    const pid_t child = fork();
    if (child < 0) return fail("cannot be started", "a process");
    if (child == 0) {
      for (int pitch = part; pitch < PITCHES; pitch += processes) powers[pitch] = power_at(FIRST_HZ + pitch * STEP_HZ);
      _exit(0);
    }
  }
  for (int status; wait(&status) > 0;) {
    if (status) return fail("ended before its time", "a process");
  }
  FILE *out = fopen(words[optind + 1], "w");
  if (!out) return fail("cannot be written", words[optind + 1]);
  fputs("hertz,power\n", out);
  for (int pitch = 0; pitch < PITCHES; pitch++) fprintf(out, "%d,%.6e\n", FIRST_HZ + pitch * STEP_HZ, powers[pitch]);
  if (fclose(out)) return fail("cannot be written", words[optind + 1]);
  return 0;
}

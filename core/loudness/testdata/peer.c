/* Measures raw programmes with libebur128, for a test that compares. Arguments: rate channels; standard input: frames of doubles,
   interleaved in the order L R C LFE Ls Rs. Output: integrated, momentary max, short-term max, true peak as a factor. */
#include <ebur128.h>
#include <stdio.h>
#include <stdlib.h>

int main(int argc, char **argv) {
  unsigned long rate = strtoul(argv[1], NULL, 10);
  unsigned int channels = strtoul(argv[2], NULL, 10);
  ebur128_state *s = ebur128_init(channels, rate, EBUR128_MODE_I | EBUR128_MODE_M | EBUR128_MODE_S | EBUR128_MODE_TRUE_PEAK);
  static const int five[] = {EBUR128_LEFT, EBUR128_RIGHT, EBUR128_CENTER, EBUR128_UNUSED, EBUR128_LEFT_SURROUND, EBUR128_RIGHT_SURROUND};
  for (unsigned int c = 0; c < channels && channels == 6; c++) ebur128_set_channel(s, c, five[c]);
  size_t hop = rate / 100, n;
  double *block = malloc(hop * channels * sizeof(double)), momentary = -1e9, shortterm = -1e9, v, peak = 0;
  while ((n = fread(block, channels * sizeof(double), hop, stdin)) > 0) {
    ebur128_add_frames_double(s, block, n);
    if (ebur128_loudness_momentary(s, &v) == EBUR128_SUCCESS && v > momentary) momentary = v;
    if (ebur128_loudness_shortterm(s, &v) == EBUR128_SUCCESS && v > shortterm) shortterm = v;
  }
  double integrated;
  ebur128_loudness_global(s, &integrated);
  for (unsigned int c = 0; c < channels; c++) {
    ebur128_true_peak(s, c, &v);
    if (v > peak) peak = v;
  }
  printf("%.6f %.6f %.6f %.9f\n", integrated, momentary, shortterm, peak);
  ebur128_destroy(&s);
  free(block);
  return 0;
}

/* Well-formed UTF-8: no overlong forms, no surrogates, nothing above U+10FFFF. */
#ifndef INKTIDE_UTF8_H
#define INKTIDE_UTF8_H

typedef struct {
  int left;
  unsigned char low, high;
} Utf8;

/* Is the next byte part of it? */
static inline int utf8_step(Utf8 *at, unsigned char byte) {
  if (at->left) {
    if (byte < at->low || byte > at->high) {
      at->left = 0;
      return 0;
    }
    at->left--;
    at->low = 0x80;
    at->high = 0xBF;
    return 1;
  }
  if (byte < 0x80) return 1;
  at->low = 0x80;
  at->high = 0xBF;
  if (byte >= 0xC2 && byte <= 0xDF) at->left = 1;
  else if (byte >= 0xE0 && byte <= 0xEF) {
    at->left = 2;
    if (byte == 0xE0) at->low = 0xA0;
    if (byte == 0xED) at->high = 0x9F;
  } else if (byte >= 0xF0 && byte <= 0xF4) {
    at->left = 3;
    if (byte == 0xF0) at->low = 0x90;
    if (byte == 0xF4) at->high = 0x8F;
  } else return 0;
  return 1;
}

/* Is all of a text, which holds no zeros either? */
static inline int is_utf8(const char *text, const char *end) {
  Utf8 at = { 0, 0x80, 0xBF };
  for (; text < end; text++)
    if (*text == 0 || !utf8_step(&at, (unsigned char)*text)) return 0;
  return !at.left;
}

#endif

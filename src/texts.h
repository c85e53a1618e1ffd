/* Texts found by an open table of their hashes; their bytes lie one behind the other. Nothing here
   touches R, so that threads may use it. */
#ifndef INKTIDE_TEXTS_H
#define INKTIDE_TEXTS_H
#include <stddef.h>
#include <stdint.h>

/* place: where a text stands first; of two the lower came first. */
typedef struct {
  uint32_t length;
  uint64_t place;
  size_t at;
} Entry;
typedef struct {
  uint32_t hash, code;
} TextSlot;
typedef struct {
  TextSlot *slots;
  uint32_t mask;
  Entry *entries;
  int many, room;
  char *bytes;
  size_t used, held;
} Dictionary;

uint64_t text_hash(const char *text, uint32_t length);
/* Its code from 1; 0 where there is no memory left, or where a new text is not UTF-8. */
int text_code(Dictionary *of, const char *text, uint32_t length, uint64_t hash, uint64_t place);
void drop_dictionary(Dictionary *of);

/* Texts whose codes are looked up together: what a look-up needs is fetched for all of them before
   it is read, since most of its time is waiting for memory. */
enum { waiting_texts = 64 };
typedef struct {
  int many;
  struct {
    const char *text;
    uint32_t length;
    int row;
    uint64_t hash;
  } of[waiting_texts];
} Waiting;

/* Codes of all that wait, put where their rows are; `share` is the upper part of their places. 0 as
 * text_code(). */
int settle_texts(Dictionary *of, Waiting *waiting, int *codes, uint64_t share);

static inline int text_waits(Dictionary *of, Waiting *waiting, int *codes, uint64_t share,
  const char *text, uint32_t length, uint64_t hash, int row) {
  int i = waiting->many++;
  waiting->of[i].text = text;
  waiting->of[i].length = length;
  waiting->of[i].hash = hash;
  waiting->of[i].row = row;
  if (of->slots != NULL) __builtin_prefetch(&of->slots[(uint32_t)hash & of->mask]);
  return waiting->many < waiting_texts || settle_texts(of, waiting, codes, share);
}

#endif

/* The dictionary of texts.h. */
#include <stdlib.h>
#include <string.h>
#include "texts.h"
#include "utf8.h"

void drop_dictionary(Dictionary *of) {
  free(of->slots);
  free(of->entries);
  free(of->bytes);
  memset(of, 0, sizeof(Dictionary));
}

uint64_t text_hash(const char *text, uint32_t length) {
  uint64_t h = 0x9E3779B97F4A7C15u ^ length, part;
  while (length >= 8) {
    memcpy(&part, text, 8);
    h = (h ^ part) * 0xBF58476D1CE4E5B9u;
    h ^= h >> 29;
    text += 8;
    length -= 8;
  }
  part = 0;
  memcpy(&part, text, length);
  h = (h ^ part) * 0x94D049BB133111EBu;
  return h ^ (h >> 32);
}

static int grow(void **at, size_t room, size_t size) {
  void *larger = realloc(*at, room * size);
  if (larger == NULL) return 0;
  *at = larger;
  return 1;
}

/* Half full at most. */
static int make_room(Dictionary *of, uint32_t length) {
  if (of->slots == NULL || (uint32_t)of->many * 2 > of->mask) {
    uint32_t mask = of->slots == NULL ? (1 << 12) - 1 : 2 * of->mask + 1;
    TextSlot *slots = calloc((size_t)mask + 1, sizeof(TextSlot));
    if (slots == NULL) return 0;
    for (size_t i = 0; of->slots != NULL && i <= of->mask; i++) {
      if (!of->slots[i].code) continue;
      uint32_t at = of->slots[i].hash & mask;
      while (slots[at].code) at = (at + 1) & mask;
      slots[at] = of->slots[i];
    }
    free(of->slots);
    of->slots = slots;
    of->mask = mask;
  }
  if (of->many == of->room) {
    int room = of->room ? 2 * of->room : 1024;
    if (!grow((void **)&of->entries, room, sizeof(Entry))) return 0;
    of->room = room;
  }
  if (of->used + length > of->held) {
    size_t held = 2 * of->held + length + (1 << 16);
    if (!grow((void **)&of->bytes, held, 1)) return 0;
    of->held = held;
  }
  return 1;
}

static int same_text(const Dictionary *of, uint32_t code, const char *text, uint32_t length) {
  const Entry *entry = &of->entries[code - 1];
  return entry->length == length && !memcmp(of->bytes + entry->at, text, length);
}

int text_code(Dictionary *of, const char *text, uint32_t length, uint64_t hash, uint64_t place) {
  uint32_t low = (uint32_t)hash;
  if (of->slots == NULL && !make_room(of, length)) return 0;
  uint32_t at = low & of->mask;
  for (; of->slots[at].code; at = (at + 1) & of->mask) {
    if (of->slots[at].hash == low && same_text(of, of->slots[at].code, text, length))
      return (int)of->slots[at].code;
  }
  if (!is_utf8(text, text + length) || !make_room(of, length)) return 0;
  /* The table may be another now. */
  for (at = low & of->mask; of->slots[at].code; at = (at + 1) & of->mask)
    ;
  if (length) memcpy(of->bytes + of->used, text, length);
  of->entries[of->many] = (Entry){ length, place, of->used };
  of->used += length;
  of->slots[at] = (TextSlot){ low, (uint32_t)++of->many };
  return of->many;
}

int settle_texts(Dictionary *of, Waiting *waiting, int *codes, uint64_t share) {
  if (of->slots != NULL) {
    uint32_t code[waiting_texts];
    for (int i = 0; i < waiting->many; i++) {
      code[i] = of->slots[(uint32_t)waiting->of[i].hash & of->mask].code;
      if (code[i]) __builtin_prefetch(&of->entries[code[i] - 1]);
    }
    for (int i = 0; i < waiting->many; i++)
      if (code[i]) __builtin_prefetch(of->bytes + of->entries[code[i] - 1].at);
  }
  int fine = 1;
  for (int i = 0; i < waiting->many; i++) {
    int row = waiting->of[i].row;
    codes[row] = text_code(of, waiting->of[i].text, waiting->of[i].length, waiting->of[i].hash,
      share << 32 | (uint32_t)row);
    fine &= codes[row] > 0;
  }
  waiting->many = 0;
  return fine;
}

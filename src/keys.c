/* The heaps of keys.h. */
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include "keys.h"

void open_keys(Keys *keys) {
  memset(keys, 0, sizeof(Keys));
  keys->file = -1;
  pthread_mutex_init(&keys->lock, NULL);
}

void close_keys(Keys *keys) {
  if (keys->file >= 0) close(keys->file);
  free(keys->pieces);
  pthread_mutex_destroy(&keys->lock);
}

/* Where the next piece goes; -1 where there is no place. */
static off_t place_piece(Keys *keys, const char *path, int heap) {
  off_t at = -1;
  pthread_mutex_lock(&keys->lock);
  if (keys->file < 0) {
    keys->file = open(path, O_RDWR | O_CREAT | O_EXCL, 0600);
    if (keys->file >= 0) unlink(path);
  }
  if (keys->many == keys->room) {
    size_t room = keys->room ? 2 * keys->room : 1024;
    KeyPiece *larger = realloc(keys->pieces, room * sizeof(KeyPiece));
    if (larger != NULL) {
      keys->pieces = larger;
      keys->room = room;
    }
  }
  if (keys->file >= 0 && keys->many < keys->room) {
    at = keys->end;
    keys->pieces[keys->many++] = (KeyPiece){ heap, at };
    keys->end += key_piece * (off_t)sizeof(uint64_t);
  }
  pthread_mutex_unlock(&keys->lock);
  return at;
}

void put_key(Keys *keys, KeyHand *hand, const char *path, uint64_t key) {
  int heap = (int)(key >> 58);
  if (hand->many[heap] == key_piece) {
    off_t at = place_piece(keys, path, heap);
    ssize_t size = sizeof hand->keys[heap];
    if (at < 0 || pwrite(keys->file, hand->keys[heap], (size_t)size, at) != size) keys->failed = 1;
    hand->many[heap] = 0;
  }
  hand->keys[heap][hand->many[heap]++] = key;
}

/* An open table of keys; 0 marks an empty slot and is counted apart. */
typedef struct {
  uint64_t *slots;
  size_t mask;
  int zeros;
} KeyTable;

static int key_repeats(KeyTable *table, const uint64_t *keys, int many) {
  for (int i = 0; i < many; i++) {
    uint64_t key = keys[i];
    if (key == 0 && table->zeros++) return 1;
    if (key == 0) continue;
    size_t at = key & table->mask;
    while (table->slots[at] != 0 && table->slots[at] != key) at = (at + 1) & table->mask;
    if (table->slots[at] == key) return 1;
    table->slots[at] = key;
  }
  return 0;
}

int any_key_twice(Keys *keys, KeyHand *const *hands, int many_hands) {
  if (keys->failed) return -1;
  size_t held[key_heaps] = { 0 }, most = 0, size = 1 << 10;
  for (size_t p = 0; p < keys->many; p++) held[keys->pieces[p].heap] += key_piece;
  for (int h = 0; h < key_heaps; h++) {
    for (int t = 0; t < many_hands; t++) held[h] += (size_t)hands[t]->many[h];
    if (held[h] > most) most = held[h];
  }
  while (size < 2 * most) size *= 2;
  KeyTable table = { malloc(size * sizeof(uint64_t)), size - 1, 0 };
  uint64_t *piece = malloc(key_piece * sizeof(uint64_t));
  int found = table.slots == NULL || piece == NULL ? -1 : 0;
  for (int h = 0; h < key_heaps && !found; h++) {
    memset(table.slots, 0, size * sizeof(uint64_t));
    table.zeros = 0;
    for (size_t p = 0; p < keys->many && !found; p++) {
      if (keys->pieces[p].heap != h) continue;
      ssize_t bytes = key_piece * (ssize_t)sizeof(uint64_t);
      if (pread(keys->file, piece, (size_t)bytes, keys->pieces[p].at) != bytes) found = -1;
      else found = key_repeats(&table, piece, key_piece);
    }
    for (int t = 0; t < many_hands && !found; t++)
      found = key_repeats(&table, hands[t]->keys[h], hands[t]->many[h]);
  }
  free(table.slots);
  free(piece);
  return found;
}

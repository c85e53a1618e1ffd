/* Does any of many 64-bit keys stand twice? Keys are dealt to heaps by their upper bits; full
   pieces of a heap wait in a file, so that memory follows the largest heap and never all keys.
   Nothing here touches R. */
#ifndef INKTIDE_KEYS_H
#define INKTIDE_KEYS_H
#include <pthread.h>
#include <stdint.h>
#include <sys/types.h>

enum { key_heaps = 64, key_piece = 1024 };

/* What one thread has not put away yet. */
typedef struct {
  int many[key_heaps];
  uint64_t keys[key_heaps][key_piece];
} KeyHand;
typedef struct {
  int heap;
  off_t at;
} KeyPiece;
typedef struct {
  int file, failed;
  off_t end;
  KeyPiece *pieces;
  size_t many, room;
  pthread_mutex_t lock;
} Keys;

/* The file is opened when the first piece is full, and has no name from then on. */
void open_keys(Keys *keys);
void put_key(Keys *keys, KeyHand *hand, const char *path, uint64_t key);
/* 1, 0, or -1 where there is no memory or no room left. */
int any_key_twice(Keys *keys, KeyHand *const *hands, int many_hands);
void close_keys(Keys *keys);

#endif

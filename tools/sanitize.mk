CFLAGS = -g -O1 -std=gnu99 -fsanitize=address,undefined -fno-sanitize-recover=undefined -fno-omit-frame-pointer

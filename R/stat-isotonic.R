# Weighted pool-adjacent-violators for a sequence that must not rise (Barlow, Bartholomew, Bremner,
# Brunk 1972). In: values and weights above zero. Out: the closest non-increasing sequence.
pool_violators <- function(values, weights) {
  average <- weight <- numeric(length(values))
  count <- integer(length(values))
  top <- 0
  for (i in seq_along(values)) {
    top <- top + 1
    average[top] <- values[i]
    weight[top] <- weights[i]
    count[top] <- 1L
    while (top > 1 && average[top] > average[top - 1]) {
      total <- weight[top] + weight[top - 1]
      average[top - 1] <- (average[top] * weight[top] + average[top - 1] * weight[top - 1]) / total
      weight[top - 1] <- total
      count[top - 1] <- count[top - 1] + count[top]
      top <- top - 1
    }
  }
  rep(average[seq_len(top)], count[seq_len(top)])
}

# Runs code with a seed and puts the random state of the session back.
with_seed <- function(seed, code) {
  old <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(if (is.null(old)) {
    rm(".Random.seed", envir = globalenv())
  } else {
    assign(".Random.seed", old, globalenv())
  })
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}

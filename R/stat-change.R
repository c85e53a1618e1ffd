# Did a rate change? Counts on a log scale, and how far chance alone moves them.

# Half a count is added before the log: it takes off most of the bias of few counts, and none is no
# longer nothing (Haldane 1956, Annals of Human Genetics 20, 309-311; Anscombe 1956, Biometrika 43,
# 461-464).
half_count <- 0.5

# Log of counts to what they are measured by: days, or sums that are known.
log_rate <- function(count, base) log((count + half_count) / base)

# The variance that chance gives it.
rate_noise <- function(count) 1 / (count + half_count)

# Log of clicks to expected clicks. Both have half a click, so that a pair of which little is
# expected and nothing was seen is not far from the curve.
log_factor <- function(clicks, expected) log((clicks + half_count) / (expected + half_count))

# The variance that chance gives it: of few clicks what is expected tells more than what was seen.
factor_noise <- function(clicks, expected) 1 / (pmax(clicks, expected * 0.3) + half_count)

# Log ratio of two counts, each measured by its base, and its variance by chance.
log_change <- function(before, after, base_before, base_after) {
  list(change = log_rate(after, base_after) - log_rate(before, base_before),
    noise = rate_noise(before) + rate_noise(after))
}

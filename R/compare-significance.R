# Is a change more than noise? Clicks vary by the luck of counts and from week to week; a change
# counts where it is beyond both, from no change and from what the site as a whole did.

# Fewer lines than these do not tell what the site did as a whole.
few_lines <- 20

# In: sums of lines (named_sums()), days of the windows, level of the intervals. common: what the
# site did, from common_changes(); between: how far lines vary besides counts, from
# window_variance(); without either (segments, months, single pairs) both come from the lines
# themselves, and a line is held against the others alone.
#
# Impressions say far more than clicks, and demand varies less than what positions make of it: so
# demand, what it and position make of clicks, and CTR at equal position are tested apart, each as a
# log ratio. The smaller p-value of the first two together (Simes 1986) and of CTR counts, times
# two; Benjamini and Hochberg (1995) over all that are tested. A line must differ from no change and
# from the site's (the larger p-value of the two, an intersection-union test, Berger 1982), so that
# a season that moves all is no news of any one. Out: data.table(ratio, ratio_low, ratio_high, p, q,
# p_visible: of demand and position together, p_clicked, common_clicked: log ratio of the site).
change_tests <- function(sums, days, level, least = least_clicks, common = NULL, between = NULL) {
  made <- log_change(sums$clicks_1, sums$clicks_2, days[1], days[2])
  tested <- which(sums$clicks_1 + sums$clicks_2 >= least)
  logs <- measured_changes(sums[tested], days)
  tests <- lapply(stats::setNames(nm = names(logs)), function(measure) {
    x <- logs[[measure]]
    if (is.null(between)) return(test_against_common(x$change, x$noise))
    test_both_ways(x$change, x$noise, common[[measure]], lapply(between[[measure]], `[`, tested))
  })
  shown <- pmin(2 * pmin(tests$demand$p, tests$visible$p), pmax(tests$demand$p, tests$visible$p))
  p <- pmin(1, 2 * pmin(shown, tests$clicked$p))
  wide <- if (is.null(between)) {
    tests$visible$between + tests$clicked$between
  } else {
    between$visible$variance + between$clicked$variance
  }
  sure <- 1 - (1 - level) / 2
  reach <- sqrt(made$noise + wide) *
    if (is.null(between)) stats::qnorm(sure) else stats::qt(sure, between$visible$df)
  out <- data.table(ratio = exp(made$change), ratio_low = exp(made$change - reach),
    ratio_high = exp(made$change + reach), p = NA_real_, q = NA_real_, p_visible = NA_real_,
    p_clicked = NA_real_, common_clicked = tests$clicked$common)
  set(out, tested, c("p", "q", "p_visible", "p_clicked"),
    list(p, stats::p.adjust(p, "BH"), tests$visible$p, tests$clicked$p))
  out
}

# The three log changes of lines, each with the variance of its counts: list(demand, visible,
# clicked) of list(change, noise).
measured_changes <- function(sums, days = c(1, 1)) {
  change <- function(of) {
    log_change(sums[[paste0(of, "_1")]], sums[[paste0(of, "_2")]], days[1], days[2])
  }
  clicks <- change("clicks")
  visible <- change("expected")$change
  seen <- change("impressions")$noise
  list(demand = list(change = change("demand")$change, noise = seen),
    visible = list(change = visible, noise = seen),
    clicked = list(change = clicks$change - visible, noise = clicks$noise))
}

# What the site did as a whole, by measure: the weighted median over queries, 0 where they are few.
common_changes <- function(sums, days, least = least_clicks) {
  logs <- measured_changes(sums[sums$clicks_1 + sums$clicks_2 >= least], days)
  lapply(logs, function(x) {
    if (length(x$change) < few_lines) 0 else weighted_median(x$change, 1 / (x$noise + 0.02))
  })
}

# Two-sided p-values of log changes: the larger of those against no change and against the common.
test_both_ways <- function(x, noise, common, between) {
  se <- sqrt(noise + between$variance)
  p_of <- function(from) 2 * stats::pt(-abs(x - from) / se, between$df)
  list(p = pmax(p_of(0), p_of(common)), between = between$variance, common = common)
}

# Low CTR: the arithmetic of a line, for trace and tide_explain().

low_ctr_how <- function(summary, pairs, at, levels, gain, fit, judged) {
  topic <- at$expected / pairs$expected
  seen <- log_factor(at$clicks, at$expected)
  noise <- factor_noise(at$clicks, at$expected)
  low <- fit$all$mean[2]
  usual <- fit$all$sd[1]^2
  total <- low_variance(fit$all)
  keep <- total / (total + noise)
  how_lines(
    sprintf("expected on the curve: %.2f clicks", pairs$expected),
    ifelse(topic < 0.999, sprintf("its topic earns %.3f of the curve anyway: expected %.2f", topic,
    at$expected), ""),
    sprintf("log factor = ln((%s + 0.5) / (%.2f + 0.5)) = %.3f, variance of its noise %.3f",
    format_count(at$clicks),
      at$expected, seen, noise),
    sprintf("usual queries of this site: mean %.3f, standard deviation %.3f; low ones: mean %.3f, standard deviation %.3f",
      fit$all$mean[1], fit$all$sd[1], low, fit$all$sd[2]),
    sprintf("level today, its luck taken out: exp(%.3f + %.3f x (%.3f - %.3f) + %.4f / 2) = %.3f of the curve (share of %.3f / (%.3f + noise) of what is seen)",
      low, keep, seen, low, levels$today_var, levels$today, total, total),
    sprintf("the level it would usually have: exp(%.3f + %.3f x (%.3f - %.3f) + %.4f / 2) = %.3f (share of %.3f / (%.3f + noise))",
      fit$all$mean[1], usual / (total + noise), seen, low, levels$usual_var, levels$usual, usual,
      total),
    odds_line("pages", "all its queries make", fit$pages$weight[["low"]], judged$page_low),
    odds_line("queries on pages that are not", "its own clicks make", fit$pairs$weight[["low"]],
    judged$pair_low),
    sprintf("confidence = (%.3f + (1 - %.3f) x %.3f)%s x (1 - %g, what no model knows)%s = %.3f",
    judged$page_low,
      judged$page_low, judged$pair_low,
      ifelse(judged$by_topic > 0.0005,
      sprintf(" x (1 - %.3f, the chance that its topic is held back)", judged$by_topic), ""),
      assumed("low_doubt"), ifelse(judged$unseen_topic > 0.0005,
      sprintf(" - %.3f (its topic may be held back: no other page shows it)",
        judged$unseen_topic), ""), judged$confidence),
    sprintf("gain = expected x (usual - today) x confidence x 30 / days = %.2f x (%.3f - %.3f) x %.3f x 30 / %d = %.2f",
      at$expected, levels$usual, levels$today, judged$confidence, as.integer(summary$recent$days),
      gain$gain))
}

# From how many are low to the chance that this one is: odds times what was seen.
odds_line <- function(of, evidence, before, after) {
  after <- pmin(pmax(after, 1e-9), 1 - 1e-9)
  times <- (after / (1 - after)) / (before / (1 - before))
  sprintf("of %s %.3f are low; %s the odds %.3g times as high: %.3f / %.3f x %.3g = %.3g, a chance of %.3f", of, before,
    evidence, times, before, 1 - before, times, after / (1 - after), after)
}

# What is said of each kind of harm: what: "action" or "reason".
cannibalized_words <- function(summary, judged, what) {
  keep <- format_path(summary$pages$page[judged$keep])
  other <- format_path(summary$pages$page[judged$other])
  query <- summary$queries$query[judged$query]
  says <- switch(what,
    reason = list(
      swapping = sprintf("%s led on %s and %s on %s; the lead changed hands %s times. While it leads, %s stands at position %s; the other at %s.",
        keep, format_plural(judged$led_keep, "day"), other, format_count(judged$led_other),
        format_count(judged$changes), keep, format_position(judged$held), format_position(judged$held_other)),
      splitting = sprintf("%s and %s are shown together week after week, at positions %s and %s: they share what one page could hold nearer the top.",
        keep, other, format_position(judged$stands), format_position(judged$held_other)),
      `wrong page leads` = sprintf("%s leads at position %s, but its address and its other queries match \"%s\" less than those of %s, and searchers pass it by: %s clicks where %s are usual.",
        other, format_position(judged$held), query, keep, format_count(judged$clicks), format_count(judged$expected)),
      unknown = sprintf("%s (position %s) and %s (position %s) both answer it with a good part of the impressions. Without dates it cannot be known whether they swap places or are shown together.",
        keep, format_position(judged$held), other, format_position(judged$held_other))),
    action = list(
      swapping = sprintf("Keep %s for \"%s\": link to it from %s with those words, and take them out of that page's title and headings.", keep, query, other),
      splitting = sprintf("Move what %s says about \"%s\" into %s and redirect it there, or point it clearly at another query.", other, query, keep),
      `wrong page leads` = sprintf("Let %s answer \"%s\": link to it from %s with those words, and reword %s towards what it is about.", keep, query, other, other),
      unknown = sprintf("Export by date to see who leads when; until then, link from %s to %s with the words \"%s\".",
        other, keep, query)))
  vapply(seq_len(nrow(judged)), function(i) says[[judged$harm[i]]][i], "")
}

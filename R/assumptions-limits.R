# Numbers that decide what data are taken for (cut, mixed, moved, gone) before anything is found in
# them. Unlike assumptions they cannot be set: the summary that rests on them is made once for all
# that asks. Judgement, measured in bench/simulate-situations.R.
data_limits <- list(
  # rows more than weeks, from which a pair tells the places in a row
  apart_rows = 10,
  # share of the average position (less one) that places may stray by, before they are very
  # different
  apart_wide = 0.5,
  # places by which they stray at least, to be very different
  apart_least = 2,
  # position that queries are shown at besides one near the top
  apart_deepest = 40,
  # times what positions stray by day anyway, before the places within a row are told
  apart_beside = 2,
  # share of pairs at very different places that do not bend what all rows mix
  apart_few = 0.05,
  # days that an address is not seen at the end, to have handed over
  moved_days = 7,
  # days within which another address has the query instead
  moved_within = 7,
  # share of an address's impressions that goes over to one other
  moved_share = 0.5,
  # rows of each day, from which a day is taken for cut off
  cut_rows = 50,
  # share of days that keep a rule, for rows to be missing by it
  cut_days = 0.9,
  # times as many pairs as rows of a day, where days are cut off
  cut_pairs = 1.3,
  # rows without a click that must be missing, to be so by rule
  cut_unseen = 10,
  # rows that a curve of rows with clicks rests on
  cut_sample = 50000,
  # clicks expected of a row beyond those it must have, to be there whatever it is clicked
  cut_surely = 12,
  # impressions of a query, from which a brand word in it may be told to mean something else
  lookalike_least = 20,
  # position of a brand by itself at most, and its CTR at least, to be taken for one unasked
  brand_position = 2,
  brand_ctr = 0.2,
  # parts of the searches that are looked at alone, the largest
  parts_most = 8,
  # chance of such differences between parts, above which there are none
  parts_by_chance = 0.01,
  # chance that a page is alive, under which it is taken for gone
  page_gone = 0.2,
  # share of searchers by country, under which two pages of a query are versions of one
  countries_shared = 0.2,
  # clicks that a step must have been expected to leave as they are, to be judged by what came
  outcome_clicks = 8,
  # what is left of the confidence in a line where all queries of a page are one mean place
  page_mean_trust = 0.6,
  # share by which impressions of pages differ that are shown equally often, as links beneath one
  # result are; share by which those of like size do; chance of as many, under which it is none
  beneath_equal = 0.03,
  beneath_near = 0.6,
  beneath_chance = 0.001,
  # months missing in a row that are filled in
  months_filled = 2,
  # pages with queries of a group, from which it can tell
  sister_pages = 2)

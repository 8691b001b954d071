# The look that figures share.

tick_labels <- function(at, index) visible_text(format_period(index$periods)[match(at, index$ticks)])

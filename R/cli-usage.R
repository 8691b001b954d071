# Wrong usage ends a command with status 2.

stop_usage <- function(...) rlang::abort(paste0(...), class = "wavetax_usage", call = NULL)

# Which commands there are.

# The commands in the order in which they are told of; each is made by a function <name>_command().
command_names <- c("demo", "check", "repair", "profile", "reshape", "balance", "join", "fit", "predict", "influence",
                   "diagnose", "appraise", "report", "compare", "init", "run", "completion", "manual")

cli_commands <- function() lapply(stats::setNames(command_names, command_names), cli_command)

cli_command <- function(name) get(paste0(name, "_command"), mode = "function")()

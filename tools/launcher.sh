#!/bin/sh
# The command-line tool as it is installed apart from the package: it is told where that is.
quoted=$(printf %s "$1" | sed "s/'/'\\\\''/g; s/[&|\\\\]/\\\\&/g")
sed "s|^package=\"\"\$|package='$quoted'|" "$(dirname "$0")/../exec/wavetax"

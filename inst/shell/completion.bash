# wavetax completion for bash.
# The columns of the tables on the line, of their first lines.
_wavetax_columns() {
  local file mark=$(printf '\357\273\277')
  for file in "$@"; do
    case $file in -*) continue ;; *.csv|*.tsv|*.txt) ;; *) continue ;; esac
    [ -f "$file" ] && head -n 1 -- "$file" 2> /dev/null | LC_ALL=C sed "s/^$mark//" |
      tr -d '"\r' | tr ',;\t' '\n\n\n'
  done
}
_wavetax_takes() {
  case $1:$2 in
    demo:--out|repair:--out|profile:--out|reshape:--out|balance:--out|join:--out|predict:--out|diagnose:--out|appraise:--out|report:--out|run:--out) printf '%s\n' @files ;;
    check:--entity|repair:--entity|profile:--entity|reshape:--entity|balance:--entity|join:--entity|fit:--entity|predict:--entity|influence:--entity|diagnose:--entity|appraise:--entity|report:--entity|init:--entity) printf '%s\n' @columns ;;
    check:--period|repair:--period|profile:--period|reshape:--period|balance:--period|join:--period|fit:--period|predict:--period|influence:--period|diagnose:--period|appraise:--period|report:--period|init:--period) printf '%s\n' @columns ;;
    check:--format) printf '%s\n' text csv json ;;
    check:--layout|repair:--layout|profile:--layout|reshape:--layout|balance:--layout|join:--layout|fit:--layout|predict:--layout|influence:--layout|diagnose:--layout|appraise:--layout|report:--layout) printf '%s\n' find ;;
    check:--merged|repair:--merged|profile:--merged|reshape:--merged|balance:--merged|join:--merged|fit:--merged|predict:--merged|influence:--merged|diagnose:--merged|appraise:--merged|report:--merged) printf '%s\n' fill ;;
    check:--numbers|repair:--numbers|profile:--numbers|reshape:--numbers|balance:--numbers|join:--numbers|fit:--numbers|predict:--numbers|influence:--numbers|diagnose:--numbers|appraise:--numbers|report:--numbers) printf '%s\n' @columns @joins, ;;
    check:--text|repair:--text|profile:--text|reshape:--text|balance:--text|join:--text|fit:--text|predict:--text|influence:--text|diagnose:--text|appraise:--text|report:--text) printf '%s\n' @columns @joins, ;;
    check:--missing|repair:--missing|profile:--missing|reshape:--missing|balance:--missing|join:--missing|fit:--missing|predict:--missing|influence:--missing|diagnose:--missing|appraise:--missing|report:--missing) printf '%s\n' @joins, ;;
    check:--percent|repair:--percent|profile:--percent|reshape:--percent|balance:--percent|join:--percent|fit:--percent|predict:--percent|influence:--percent|diagnose:--percent|appraise:--percent|report:--percent) printf '%s\n' share number ;;
    check:--periods|repair:--periods|profile:--periods|reshape:--periods|balance:--periods|join:--periods|fit:--periods|predict:--periods|influence:--periods|diagnose:--periods|appraise:--periods|report:--periods) printf '%s\n' @joins, ;;
    check:--labels|repair:--labels|profile:--labels|reshape:--labels|balance:--labels|join:--labels|fit:--labels|predict:--labels|influence:--labels|diagnose:--labels|appraise:--labels|report:--labels|compare:--labels) printf '%s\n' @files ;;
    repair:--drop) printf '%s\n' @joins, ;;
    repair:--repeated) printf '%s\n' first last ;;
    repair:--log) printf '%s\n' @files ;;
    profile:--by) printf '%s\n' @columns ;;
    profile:--show) printf '%s\n' range missing correlations @joins, ;;
    profile:--format|fit:--format|influence:--format|compare:--format) printf '%s\n' text markdown csv json html latex ;;
    profile:--table|fit:--table|influence:--table|diagnose:--table|appraise:--table|compare:--table) printf '%s\n' @files ;;
    reshape:--to) printf '%s\n' long wide ;;
    reshape:--indicator) printf '%s\n' @columns ;;
    reshape:--value) printf '%s\n' @columns ;;
    reshape:--variables) printf '%s\n' @columns @joins, ;;
    balance:--how) printf '%s\n' fill entities block ;;
    join:--by) printf '%s\n' @joins, ;;
    join:--match) printf '%s\n' exact tidy ;;
    fit:--model) printf '%s\n' pooled between fixed random difference correlated gls @joins, ;;
    fit:--effects|predict:--effects|influence:--effects|diagnose:--effects) printf '%s\n' entity period both @columns @joins+: ;;
    fit:--variance|predict:--variance|influence:--variance|diagnose:--variance) printf '%s\n' amemiya maximum-likelihood nerlove swamy-arora wallace-hussain ;;
    fit:--weights|predict:--weights|influence:--weights|diagnose:--weights|appraise:--weights|report:--weights) printf '%s\n' @columns ;;
    fit:--serial|predict:--serial|influence:--serial|diagnose:--serial) printf '%s\n' none ar1 ar1-own ;;
    fit:--rho|predict:--rho|influence:--rho|diagnose:--rho) printf '%s\n' corrected regression autocorrelation maximum-likelihood ;;
    fit:--variances|predict:--variances|influence:--variances|diagnose:--variances) printf '%s\n' common entity ;;
    fit:--each) printf '%s\n' @columns ;;
    fit:--steps) printf '%s\n' @joins, ;;
    fit:--method|predict:--method|influence:--method|diagnose:--method) printf '%s\n' 2sls liml gmm ;;
    fit:--errors) printf '%s\n' classical robust robust-hc0 robust-hc2 robust-hc3 robust-hc4 clustered clustered-cr0 clustered-cr3 few-clusters wild pairs serial cross-section panel-corrected all @joins, ;;
    fit:--by|predict:--by|influence:--by|diagnose:--by) printf '%s\n' @columns @joins+: ;;
    fit:--save) printf '%s\n' @files ;;
    fit:--figure|influence:--figure|compare:--figure) printf '%s\n' @files ;;
    fit:--terms|compare:--terms) printf '%s\n' @joins, ;;
    fit:--beneath|compare:--beneath) printf '%s\n' std_error statistic p_value interval @joins, ;;
    fit:--facts|compare:--facts) printf '%s\n' effects serial instruments strength errors clusters rows entities r_squared levels connected tests own periods coefficients df_residual df_effects r2_within r2_within_all r2_between r2_overall r2_with_effects r2_of_changes f f_df1 f_p rmse rho log_lik parameters aic bic outcome_mean outcome_sd constant constant_error @joins, ;;
    predict:--new) printf '%s\n' @files ;;
    predict:--model|influence:--model|diagnose:--model) printf '%s\n' pooled between fixed random difference correlated gls ;;
    predict:--errors|influence:--errors|diagnose:--errors) printf '%s\n' classical robust robust-hc0 robust-hc2 robust-hc3 robust-hc4 clustered clustered-cr0 clustered-cr3 few-clusters wild pairs serial cross-section panel-corrected ;;
    predict:--interval) printf '%s\n' confidence prediction ;;
    influence:--without) printf '%s\n' @columns ;;
    diagnose:--format|appraise:--format) printf '%s\n' text markdown json html latex ;;
    appraise:--focus|report:--focus) printf '%s\n' @columns ;;
    report:--author) printf '%s\n' @joins, ;;
    report:--parts) printf '%s\n' question data description models tests recommendation robustness limits appendix @joins, ;;
    compare:--errors) printf '%s\n' classical robust robust-hc0 robust-hc2 robust-hc3 robust-hc4 clustered clustered-cr0 clustered-cr3 few-clusters wild pairs serial cross-section panel-corrected @joins, ;;
    run:--only) printf '%s\n' @joins, ;;
  esac
}
_wavetax() {
  local IFS=$'\n' word=${COMP_WORDS[COMP_CWORD]} at=$((COMP_CWORD - 1)) head= value values= joins=
  COMPREPLY=()
  if [ "$COMP_CWORD" -eq 1 ]; then
    COMPREPLY=($(compgen -W $'demo\ncheck\nrepair\nprofile\nreshape\nbalance\njoin\nfit\npredict\ninfluence\ndiagnose\nappraise\nreport\ncompare\ninit\nrun\ncompletion\nmanual\nhelp\n--help\n--version' -- "$word")); return
  fi
  # The shell cuts words at = and :.
  case $word in =|:) word= ; [ "${COMP_WORDS[COMP_CWORD]}" = : ] && at=$((at - 1)) ;; esac
  while [ "${COMP_WORDS[at]}" = : ]; do at=$((at - 2)); done
  [ "${COMP_WORDS[at]}" = = ] && at=$((at - 1))
  case ${COMP_WORDS[at]} in --*) values=$(_wavetax_takes "${COMP_WORDS[1]}" "${COMP_WORDS[at]}") ;; esac
  case ${COMP_WORDS[1]}:$COMP_CWORD in
    help:2) values=$'demo\ncheck\nrepair\nprofile\nreshape\nbalance\njoin\nfit\npredict\ninfluence\ndiagnose\nappraise\nreport\ncompare\ninit\nrun\ncompletion\nmanual' ;;
    completion:2) values=$'bash\nzsh\nfish' ;;
  esac
  case $values in *@joins,*) joins=, ;; *@joins+:*) joins=+ ;; esac
  case $word in *"$joins"*)
    [ -n "$joins" ] && head=${word%"$joins"*}$joins word=${word##*"$joins"} ;;
  esac
  case $values in *@columns*) values=$values$'\n'$(_wavetax_columns "${COMP_WORDS[@]:2}") ;; esac
  if [ -z "$values" ]; then
    case $word in -*) case ${COMP_WORDS[1]} in
      demo) values=$'--out\n--width\n-q\n--quiet\n-h\n--help' ;;
      check) values=$'--entity\n--period\n--format\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--width\n-q\n--quiet\n-h\n--help' ;;
      repair) values=$'--entity\n--period\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n-o\n--out\n--names\n--drop\n--repeated\n--log\n--width\n-q\n--quiet\n-h\n--help' ;;
      profile) values=$'--entity\n--period\n--let\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--by\n--show\n--parts\n--members\n--format\n--out\n--table\n--width\n-q\n--quiet\n-h\n--help' ;;
      reshape) values=$'--entity\n--period\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--to\n-o\n--out\n--indicator\n--value\n--pattern\n--variables\n--width\n-q\n--quiet\n-h\n--help' ;;
      balance) values=$'--entity\n--period\n--let\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n-o\n--out\n--how\n--least\n--width\n-q\n--quiet\n-h\n--help' ;;
      join) values=$'--entity\n--period\n--let\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n-o\n--out\n--by\n--match\n--replace\n--other-sheet\n--width\n-q\n--quiet\n-h\n--help' ;;
      fit) values=$'--entity\n--period\n--rows\n--let\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--formula\n--model\n--effects\n--variance\n--weights\n--serial\n--rho\n--variances\n--across\n--each\n--and-all\n--steps\n--endogenous\n--instruments\n--method\n--errors\n--by\n--tests\n--test\n--format\n--save\n--table\n--figure\n--terms\n--hide\n--beneath\n--facts\n--marks\n--decimals\n--constant\n--title\n--over\n--width\n-q\n--quiet\n-h\n--help' ;;
      predict) values=$'--entity\n--period\n--rows\n--let\n--new\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--formula\n--model\n--effects\n--variance\n--weights\n--serial\n--rho\n--variances\n--across\n--endogenous\n--instruments\n--method\n--errors\n--by\n-o\n--out\n--as\n--interval\n--level\n--average\n--disturbance\n--width\n-q\n--quiet\n-h\n--help' ;;
      influence) values=$'--entity\n--period\n--rows\n--let\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--formula\n--model\n--effects\n--variance\n--weights\n--serial\n--rho\n--variances\n--across\n--endogenous\n--instruments\n--method\n--errors\n--by\n--without\n--format\n--table\n--figure\n--width\n-q\n--quiet\n-h\n--help' ;;
      diagnose) values=$'--entity\n--period\n--rows\n--let\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--formula\n--model\n--effects\n--variance\n--weights\n--serial\n--rho\n--variances\n--across\n--endogenous\n--instruments\n--method\n--errors\n--by\n--level\n--format\n--out\n--table\n--width\n-q\n--quiet\n-h\n--help' ;;
      appraise) values=$'--entity\n--period\n--rows\n--let\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--formula\n--focus\n--unrelated\n--weights\n--level\n--format\n--out\n--table\n--width\n-q\n--quiet\n-h\n--help' ;;
      report) values=$'--entity\n--period\n--rows\n--let\n--sheet\n--range\n--header\n--layout\n--merged\n--numbers\n--text\n--missing\n--decimal\n--thousands\n--percent\n--date-format\n--periods\n--period-from\n--delimiter\n--encoding\n--labels\n--formula\n--focus\n--weights\n-o\n--out\n--title\n--author\n--date\n--parts\n--width\n-q\n--quiet\n-h\n--help' ;;
      compare) values=$'--errors\n--terms\n--hide\n--beneath\n--facts\n--marks\n--decimals\n--constant\n--title\n--over\n--labels\n--format\n--table\n--figure\n--width\n-q\n--quiet\n-h\n--help' ;;
      init) values=$'--entity\n--period\n--formula\n-h\n--help' ;;
      run) values=$'--plan\n--only\n--fresh\n--allow-outside\n--code\n--out\n--width\n-q\n--quiet\n-h\n--help' ;;
      completion) values=$'-h\n--help' ;;
      manual) values=$'-h\n--help' ;;
    esac ;; esac
  fi
  # Without the shell's expansion: what stands in a table is no code.
  for value in $values; do
    case $value in @*) ;; "$word"*) COMPREPLY+=("$head$(printf %q "$value")") ;; esac
  done
  [ -n "$joins" ] && compopt -o nospace 2> /dev/null
  return 0
}
complete -o default -F _wavetax wavetax

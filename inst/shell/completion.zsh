#compdef wavetax
# wavetax completion for zsh: a file _wavetax in a folder of fpath.
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
_wavetax_commands() {
  local -a commands=(
    'demo:run the whole job on the made-up harbours'
    'check:find what is broken in a table'
    'repair:mend what was found, with a log'
    'profile:the shape of a panel, and where its variables vary'
    'reshape:a row for each entity and period, or a column for each period'
    'balance:a panel without gaps: filled up, or cut to what is whole'
    'join:bring in columns from another table'
    'fit:estimate and compare models of a table'
    'predict:what a model predicts for each row'
    'influence:whether a conclusion rests on one entity'
    'diagnose:what is wrong with a model, and what to do'
    'appraise:which model, and which errors: the guided choice'
    'report:write the document that defends a result'
    'compare:set saved fits side by side'
    'init:write a study file to start from'
    'run:run a study file, from raw data to tables and figures'
    'completion:a shell'\''s completion of all this, for bash, zsh or fish'
    'manual:the manual page'
  )
  _describe command commands
}
_wavetax_options() {
  local -a options
  case $1 in
  demo) options=(
    '--out:folder for the table and the figure'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  check) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--format:text, csv or json'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  repair) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '-o:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--out:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--names:tidy, or wrong=right; may be repeated'
    '--drop:kinds of findings whose rows go, such as '\''missing keys,total row'\'''
    '--repeated:row of a repeated key that stays: first or last'
    '--log:log of all changes: .json, or .R for the calls that do the same'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  profile) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--by:describe the variables for each of its values'
    '--show:show these too: range, missing, correlations'
    '--parts:how the variance parts into what is between entities and what is within'
    '--members:list who enters late, leaves early or misses what'
    '--format:text, markdown, csv, json, html or latex'
    '--out:folder for the figures'
    '--table:write the table too: .docx, .tex, .html, .xlsx, .md, .txt, .csv or .json; - prints it alone'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  reshape) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--to:long or wide'
    '-o:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--out:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--indicator:column that names the indicators [default: found]'
    '--value:column of the values; with entities across, its name to be'
    '--pattern:of column names, with groups (?<variable>...) and (?<period>...)'
    '--variables:to wide: columns that get one a period [default: those that vary]'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  balance) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '-o:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--out:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--how:fill: rows of blanks for gaps; entities: those seen in every period; block: the run of periods that keeps most rows'
    '--least:with --how entities: all that have at least so many rows'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  join) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '-o:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--out:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--by:key columns, such as season, or harbour=name where the other table'\''s is name'
    '--match:exact, or tidy: without regard to case, accents, spaces, zeros'
    '--replace:columns that both tables have are the other table'\''s'
    '--other-sheet:sheet of the other table'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  fit) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--rows:rows to use, such as '\''season > 2012'\'''
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--formula:such as '\''log(nights) ~ levy + storms'\'''
    '--model:of the equation; may be repeated [default: pooled,fixed,random]'
    '--effects:swept out: entity, period, both, or columns such as '\''harbour + coast:season'\'' [default: entity]'
    '--variance:how the components of random effects are estimated: amemiya, maximum-likelihood, nerlove, swamy-arora or wallace-hussain'
    '--weights:analytic weights: a column, or variance_of(COLUMN), estimated by group'
    '--serial:disturbances over time: none, ar1 for AR(1) within each entity, with gls also ar1-own, a rho for each'
    '--rho:of AR(1), how rho is estimated: corrected, regression, autocorrelation or maximum-likelihood; or a number [default: corrected]'
    '--variances:of gls: common, or entity for a variance of each [default: common]'
    '--across:of gls: entities are related within a period, each with a variance of its own'
    '--each:each model on the rows of each of its values'
    '--and-all:with --each, on all rows before them'
    '--steps:a ladder instead of models: regressors such as '\''~ storms'\'', or effects such as harbour, each added to what was before; may be repeated'
    '--endogenous:terms of the formula to instrument, such as '\''log(berths)'\'''
    '--instruments:what instruments them, such as relief'
    '--method:of instruments: 2sls for two stages, liml for limited information, gmm for the method of moments [default: 2sls]'
    '--errors:several by commas give columns [default: clustered]'
    '--by:to cluster by; harbour+season are two dimensions, coast:season combinations [default: the entity]'
    '--tests:test for serial correlation and, with fixed and random, Hausman'\''s; of instruments their strength, agreement and need'
    '--test:test coefficients jointly in each model: '\''levy, storms'\'' (both 0) or '\''levy = -0.05'\''; may be repeated'
    '--format:text, markdown, csv, json, html or latex'
    '--save:save the fits too: .json; - prints them alone'
    '--table:write the table too: .docx, .tex, .html, .xlsx, .md, .txt, .csv or .json; - prints it alone'
    '--figure:draw the slopes across the models: .png, .pdf or .svg; - for a .png on standard output'
    '--terms:coefficients to show, such as '\''Wave tax=levy,past(levy*'\'''
    '--hide:terms not to show, such as '\''factor(season) + coast'\'': a row says where they are'
    '--beneath:beneath each estimate: std_error, statistic, p_value, interval [default: std_error]'
    '--facts:what is told below, such as '\''effects,rows,r_squared,outcome_mean'\'''
    '--marks:signs of your own by p, such as '\''+=0.05'\'''
    '--decimals:decimals of estimates [default: as many as errors ask for]'
    '--constant:the constant of models with effects too, from which these deviate'
    '--title:title of the table'
    '--over:heads over columns, such as '\''All harbours=1-3,Tallow coast=4-6'\'''
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  predict) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--rows:rows to use, such as '\''season > 2012'\'''
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--new:rows to predict, a table like FILE [default: FILE]'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--formula:such as '\''log(nights) ~ levy + storms'\'''
    '--model:one of'
    '--effects:swept out: entity, period, both, or columns such as '\''harbour + coast:season'\'' [default: entity]'
    '--variance:how the components of random effects are estimated: amemiya, maximum-likelihood, nerlove, swamy-arora or wallace-hussain'
    '--weights:analytic weights: a column, or variance_of(COLUMN), estimated by group'
    '--serial:disturbances over time: none, ar1 for AR(1) within each entity, with gls also ar1-own, a rho for each'
    '--rho:of AR(1), how rho is estimated: corrected, regression, autocorrelation or maximum-likelihood; or a number [default: corrected]'
    '--variances:of gls: common, or entity for a variance of each [default: common]'
    '--across:of gls: entities are related within a period, each with a variance of its own'
    '--endogenous:terms of the formula to instrument, such as '\''log(berths)'\'''
    '--instruments:what instruments them, such as relief'
    '--method:of instruments: 2sls for two stages, liml for limited information, gmm for the method of moments [default: 2sls]'
    '--errors:standard errors [default: clustered]'
    '--by:to cluster by [default: the entity]'
    '-o:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--out:file to write: .csv, .tsv, .xlsx or .parquet; - for standard output'
    '--as:name of the new column'
    '--interval:its limits too, as columns NAME_low and NAME_high'
    '--level:of the interval [default: 0.95]'
    '--average:for an average group: leave the effects out'
    '--disturbance:after --serial ar1, what is left of each entity'\''s last disturbance is added'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  influence) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--rows:rows to use, such as '\''season > 2012'\'''
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--formula:such as '\''log(nights) ~ levy + storms'\'''
    '--model:one of'
    '--effects:swept out: entity, period, both, or columns such as '\''harbour + coast:season'\'' [default: entity]'
    '--variance:how the components of random effects are estimated: amemiya, maximum-likelihood, nerlove, swamy-arora or wallace-hussain'
    '--weights:analytic weights: a column, or variance_of(COLUMN), estimated by group'
    '--serial:disturbances over time: none, ar1 for AR(1) within each entity, with gls also ar1-own, a rho for each'
    '--rho:of AR(1), how rho is estimated: corrected, regression, autocorrelation or maximum-likelihood; or a number [default: corrected]'
    '--variances:of gls: common, or entity for a variance of each [default: common]'
    '--across:of gls: entities are related within a period, each with a variance of its own'
    '--endogenous:terms of the formula to instrument, such as '\''log(berths)'\'''
    '--instruments:what instruments them, such as relief'
    '--method:of instruments: 2sls for two stages, liml for limited information, gmm for the method of moments [default: 2sls]'
    '--errors:standard errors [default: clustered]'
    '--by:to cluster by [default: the entity]'
    '--without:whose groups are left out in turn: entity, period or a column'
    '--format:text, markdown, csv, json, html or latex'
    '--table:write the table too: .docx, .tex, .html, .xlsx, .md, .txt, .csv or .json; - prints it alone'
    '--figure:draw them: .png, .pdf or .svg; - for a .png on standard output'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  diagnose) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--rows:rows to use, such as '\''season > 2012'\'''
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--formula:such as '\''log(nights) ~ levy + storms'\'''
    '--model:one of'
    '--effects:swept out: entity, period, both, or columns such as '\''harbour + coast:season'\'' [default: entity]'
    '--variance:how the components of random effects are estimated: amemiya, maximum-likelihood, nerlove, swamy-arora or wallace-hussain'
    '--weights:analytic weights: a column, or variance_of(COLUMN), estimated by group'
    '--serial:disturbances over time: none, ar1 for AR(1) within each entity, with gls also ar1-own, a rho for each'
    '--rho:of AR(1), how rho is estimated: corrected, regression, autocorrelation or maximum-likelihood; or a number [default: corrected]'
    '--variances:of gls: common, or entity for a variance of each [default: common]'
    '--across:of gls: entities are related within a period, each with a variance of its own'
    '--endogenous:terms of the formula to instrument, such as '\''log(berths)'\'''
    '--instruments:what instruments them, such as relief'
    '--method:of instruments: 2sls for two stages, liml for limited information, gmm for the method of moments [default: 2sls]'
    '--errors:standard errors [default: clustered]'
    '--by:to cluster by [default: the entity]'
    '--level:level that tests are read at'
    '--format:text, markdown, json, html or latex'
    '--out:folder for figures'
    '--table:write the table too: .docx, .tex, .html, .xlsx, .md, .txt, .csv or .json; - prints it alone'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  appraise) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--rows:rows to use, such as '\''season > 2012'\'''
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--formula:such as '\''log(nights) ~ levy + storms'\'''
    '--focus:regressor of interest [default: the first]'
    '--unrelated:you claim that what is fixed about entities is unrelated to it: drawn by lot'
    '--weights:analytic weights: a column, or variance_of(COLUMN), estimated by group'
    '--level:level that tests are read at'
    '--format:text, markdown, json, html or latex'
    '--out:folder for figures'
    '--table:write the table too: .docx, .tex, .html, .xlsx, .md, .txt, .csv or .json; - prints it alone'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  report) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--rows:rows to use, such as '\''season > 2012'\'''
    '--let:a new column, such as '\''rise = change(levy) * berths'\''; may be repeated'
    '--sheet:sheet of a workbook, by name or number; several by commas, '\''*'\'' for all'
    '--range:cells such as B4:N60, of text files too'
    '--header:rows of headings [default: 1]'
    '--layout:find: leave out titles and notes, make wide tables long'
    '--merged:fill: write the value of merged cells into all of them'
    '--numbers:columns to read as numbers; a name with a comma stands in double quotes'
    '--text:columns that stay text'
    '--missing:spellings of a missing value, besides none and NA'
    '--decimal:decimal mark: . or ,'
    '--thousands:mark between thousands'
    '--percent:12.5% as the share 0.125 or the number 12.5: share or number'
    '--date-format:of dates as the period, such as %d/%m/%Y'
    '--periods:labels of the periods, in order'
    '--period-from:the period in the names of several files or sheets'
    '--delimiter:of text files [default: found]'
    '--encoding:of text files [default: found]'
    '--labels:labels of variables: a table of names and labels'
    '--formula:such as '\''log(nights) ~ levy + storms'\'''
    '--focus:regressor of interest [default: the first]'
    '--weights:analytic weights: a column, or variance_of(COLUMN), estimated by group'
    '-o:the report: .html, .docx, .md or .pdf'
    '--out:the report: .html, .docx, .md or .pdf'
    '--title:the question, as its title'
    '--author:who answers for it; several by commas'
    '--date:the date that stands in it'
    '--parts:parts, in their order: question, data, description, models, tests, recommendation, robustness, limits, appendix'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  compare) options=(
    '--errors:of the fits only those under these errors, in the words of `wavetax fit`'
    '--terms:coefficients to show, such as '\''Wave tax=levy,past(levy*'\'''
    '--hide:terms not to show, such as '\''factor(season) + coast'\'': a row says where they are'
    '--beneath:beneath each estimate: std_error, statistic, p_value, interval [default: std_error]'
    '--facts:what is told below, such as '\''effects,rows,r_squared,outcome_mean'\'''
    '--marks:signs of your own by p, such as '\''+=0.05'\'''
    '--decimals:decimals of estimates [default: as many as errors ask for]'
    '--constant:the constant of models with effects too, from which these deviate'
    '--title:title of the table'
    '--over:heads over columns, such as '\''All harbours=1-3,Tallow coast=4-6'\'''
    '--labels:file of names and labels, a codebook'
    '--format:text, markdown, csv, json, html or latex'
    '--table:write the table too: .docx, .tex, .html, .xlsx, .md, .txt, .csv or .json; - prints it alone'
    '--figure:draw the slopes across the fits: .png, .pdf or .svg'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  init) options=(
    '--entity:column that names the entity'
    '--period:column that names the period'
    '--formula:such as '\''log(nights) ~ levy + storms'\'''
    -h:this
    --help:this
  ) ;;
  run) options=(
    '--plan:tell what would run, and why; nothing is estimated or written'
    '--only:what to run, with all that it needs, such as tables/main,figures'
    '--fresh:run everything again'
    '--allow-outside:the study may read and write outside of its folder'
    '--code:print the R calls that do the same; nothing is run'
    '--out:folder for the results [default: the study'\''s own]'
    '--width:columns of what is printed [default: those of the terminal, or 80]'
    '-q:tell nothing of what is done; warnings and errors are told'
    '--quiet:tell nothing of what is done; warnings and errors are told'
    -h:this
    --help:this
  ) ;;
  completion) options=(
    -h:this
    --help:this
  ) ;;
  manual) options=(
    -h:this
    --help:this
  ) ;;
  esac
  _describe -o option options
}
_wavetax() {
  local option=$words[CURRENT-1]
  local -a says columns
  (( CURRENT == 2 )) && { _wavetax_commands; return }
  [[ $words[2] == help ]] && { _wavetax_commands; return }
  [[ $words[2] == completion ]] && { compadd -- bash zsh fish; return }
  if [[ $PREFIX == --*=* ]]; then option=${PREFIX%%=*}; compset -P '--[^=]#='; fi
  says=(${(f)"$(_wavetax_takes $words[2] $option)"})
  if (( $#says == 0 )); then
    [[ $PREFIX == -* ]] && { _wavetax_options $words[2]; return }
    _files; return
  fi
  (( $says[(Ie)@files] )) && { _files; return }
  local -a end
  [[ -n ${(M)says:#@joins*} ]] && end=(-S '')
  [[ -n ${(M)says:#@joins,} ]] && compset -P '*,'
  [[ -n ${(M)says:#@joins+:} ]] && compset -P '*[+:]'
  (( $says[(Ie)@columns] )) && columns=(${(f)"$(_wavetax_columns ${(Q)words[3,-1]})"})
  compadd "${end[@]}" -- ${says:#@*} $columns
}
if [[ $funcstack[1] == _wavetax ]]; then _wavetax "$@"; else compdef _wavetax wavetax; fi

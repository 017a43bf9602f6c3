#!/bin/sh
# Standard scores in the shell, with a mistake: the numbers of the file are taken one after the other and laid down by
# columns, where they lie by rows. The shape is right, and nearly every value is in another place.
#
#   nimbus run standard-scores -- sh scores-columns.sh
set -eu
for folder in "$NIMBUS_IN"/*/; do
  out=$NIMBUS_OUT/$(basename "$folder")
  mkdir -p "$out"
  rows=$(wc -l < "$folder/weights.csv")
  tr ',' '\n' < "$folder/weights.csv" | awk -v rows="$rows" '
    { w[NR - 1] = $1 }
    END {
      columns = NR / rows
      for (i = 0; i < rows; i++) {
        mean = spread = 0
        for (j = 0; j < columns; j++) mean += w[j * rows + i] / columns
        for (j = 0; j < columns; j++) spread += (w[j * rows + i] - mean) ^ 2 / columns
        for (j = 0; j < columns; j++)
          printf "%.17g%s", (w[j * rows + i] - mean) / sqrt(spread), j < columns - 1 ? "," : "\n"
      }
    }' > "$out/scores.csv"
done

# Standard scores with awk: each weight less the mean of its rope, in standard deviations of that rope.
#
#   nimbus run standard-scores -- awk -f scores.awk
#
# Data come as $NIMBUS_IN/CASE/weights.csv, one line for each rope; results go to $NIMBUS_OUT/CASE/scores.csv.
BEGIN {
    FS = ","
    list = "ls \"" ENVIRON["NIMBUS_IN"] "\"/*/weights.csv"
    while ((list | getline file) > 0) {
        n = split(file, path, "/")
        folder = ENVIRON["NIMBUS_OUT"] "/" path[n - 1]
        system("mkdir -p \"" folder "\"")
        scores(file, folder "/scores.csv")
    }
}

function scores(file, out,    i, mean, spread, line) {
    while ((getline < file) > 0) {
        mean = spread = 0
        for (i = 1; i <= NF; i++) mean += $i / NF
        for (i = 1; i <= NF; i++) spread += ($i - mean) ^ 2 / NF
        line = ""
        for (i = 1; i <= NF; i++) line = line (i > 1 ? "," : "") sprintf("%.17g", ($i - mean) / sqrt(spread))
        print line > out
    }
    close(file)
    close(out)
}

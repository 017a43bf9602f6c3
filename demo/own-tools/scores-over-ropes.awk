# The same with a mistake: means and deviations of each harvest over the ropes, where each rope's over its harvests are
# wanted. Shape and kind are right, so only the values can tell.
#
#   nimbus run standard-scores -- awk -f scores-over-ropes.awk
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

function scores(file, out,    rows, columns, i, j, mean, spread, line, w) {
    rows = 0
    while ((getline < file) > 0) {
        rows++
        columns = NF
        for (j = 1; j <= NF; j++) w[rows, j] = $j
    }
    close(file)
    for (j = 1; j <= columns; j++) {
        mean[j] = spread[j] = 0
        for (i = 1; i <= rows; i++) mean[j] += w[i, j] / rows
        for (i = 1; i <= rows; i++) spread[j] += (w[i, j] - mean[j]) ^ 2 / rows
    }
    for (i = 1; i <= rows; i++) {
        line = ""
        for (j = 1; j <= columns; j++)
            line = line (j > 1 ? "," : "") sprintf("%.17g", (w[i, j] - mean[j]) / sqrt(spread[j]))
        print line > out
    }
    close(out)
}

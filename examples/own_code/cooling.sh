#!/bin/sh
# Ten lines of shell with a score: what it costs to cool a made-up cold store from 30 degrees to 4. Tune it:
#   pellux run examples/own_code/cooling.yaml
power=$1 pause=$2
awk -v power="$power" -v pause="$pause" 'BEGIN {
    warm = 30
    while (warm > 4 && hours < 200) { warm -= power * (1 - pause / 24) - 0.02 * (22 - warm); hours++ }
    printf "after %d hours, cost %.4f\n", hours, hours + 2 * power * power * (1 - pause / 24) + pause * pause / 9
}'

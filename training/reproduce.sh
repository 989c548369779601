#!/bin/sh
# Make the recogniser's weights anew. Every step goes on where it was stopped: material that is
# there is kept, training resumes from its checkpoint. About eighteen hours on two cores.
set -eu
python=$1
export OMP_NUM_THREADS=1
$python -m training.render --split val --shards 1 --workers 1
$python -m training.render --shards 160 --workers 1 &
rendering=$!
$python -m training.train --name first --design near --steps 9500 --stop-after 8000 --shards 160
wait $rendering
$python -m training.crops --split val --shards 1
$python -m training.crops --shards 12 --workers 2
$python -m training.finetune --name second --init first --design near --crops 0-6 \
    --drawn 146-159 --steps 2600 --rate 6e-4 --stop-after 1500
$python -m training.render --first 200 --shards 8 --workers 2
$python -m training.finetune --name third --init second --design near --crops 0-6 \
    --drawn 146-159,200-207 --steps 1500 --rate 4e-4
$python -m training.render --first 300 --shards 30 --workers 2
$python -m training.finetune --name fourth --init third --design styled --processes 2 --steps 5400 --rate 5e-4 \
    --crops 0,0,0,1,0,1,2,1,0,3,2,3,4,3,2,5,4,5,6,4,5,7,6,7,8,6,7,9,8,10,9,11,10,11 \
    --drawn 300-314,20-39,315-329,40-59
$python -m training.render --first 400 --shards 48 --workers 2
$python -m training.crops --shards 14 --workers 2
$python -m training.finetune --name fifth --init fourth --design styled --processes 2 --steps 3600 --rate 6e-4 \
    --crops 0,0,0,1,1,1,2,2,3,3,4,4,5,5,6,6,7,7,8,9,10,11,12,13 --drawn 400-447
$python -m training.render --first 500 --shards 60 --workers 2
$python -m training.crops --shards 10 --workers 2
$python -m training.finetune --name sixth --init fifth --design styled --processes 2 --steps 4600 --rate 6e-4 \
    --crops 0-9,0-9,0-9 --drawn 500-559
$python -m training.render --first 20 --shards 75 --workers 2
$python -m training.render --first 600 --shards 15 --workers 2
$python -m training.crops --first 20 --shards 8 --workers 2
$python -m training.finetune --name seventh --init sixth --design broad --steps 5600 --rate 7e-4 \
    --crops 0-10,0-10,0-3,20-27 --drawn 20-39,600-604,40-59,605-609,60-79,610-614,80-94
$python -m training.render --first 700 --shards 28 --workers 2
$python -m training.crops --first 40 --shards 4 --workers 2
$python -m training.finetune --name eighth --init seventh --design broad --steps 4400 --rate 6e-4 \
    --crops 40-43,40-43,40-43,40-43,40-43,40-43 --drawn 700-727
# The eighth stage's weights, with their norms folded away, are opened as a finer and deeper network.
$python -m training.export .cache/runs/eighth/checkpoint.pt
$python -m training.reopen --name eighth-deep --design deep
$python -m training.render --first 800 --shards 40 --workers 2
$python -m training.crops --first 60 --shards 8 --workers 2
$python -m training.finetune --name ninth --init eighth-deep --design deep --still-norms \
    --steps 4500 --rate 5e-4 --stop-after 4250 --crops 60-67 --drawn 800-839
# The tenth stage sees half of its new lines in faces that lie between two real ones.
$python -m training.render --first 840 --shards 40 --workers 2
$python -m training.crops --first 68 --shards 5 --workers 2
$python -m training.finetune --name tenth --init ninth --design deep --still-norms \
    --steps 5400 --rate 4e-4 --stop-after 5000 --crops 60-72,60-62,60-67 --drawn 824-831,840-879
# The eleventh stage's stem sees letters up and down as well as along.
$python -m training.render --first 880 --shards 20 --workers 2
$python -m training.crops --first 73 --shards 5 --workers 2
$python -m training.finetune --name eleventh --init tenth --design tall --still-norms \
    --steps 4000 --rate 5e-4 --stop-after 3750 --crops 60-77 --drawn 800-815,880-899
# The twelfth stage is rich in signs of nearly one shape; its mean with the eleventh reads best.
$python -m training.render --first 940 --shards 18 --workers 2
$python -m training.crops --first 100 --shards 4 --workers 2
$python -m training.finetune --name twelfth --init eleventh --design tall --still-norms \
    --steps 2400 --rate 3e-4 --stop-after 2250 --crops 100-103,100,100-103,101,100-101 \
    --drawn 940-957,942-943,946-947,950-951
$python -m training.average --of eleventh twelfth --name thirteenth
# The fourteenth sees marks that stand alone; a third of it beside two of the mean reads best.
$python -m training.render --first 960 --shards 14 --workers 2
$python -m training.crops --first 110 --shards 3 --workers 2
$python -m training.finetune --name fourteenth --init thirteenth --design tall --still-norms \
    --steps 2000 --rate 3e-4 --crops 100-101,110,102-103,111,100,112,102 \
    --drawn 940-941,960-965,946-947,966-973
$python -m training.average --of thirteenth fourteenth --share 0.33 --name fifteenth
$python -m training.export .cache/runs/fifteenth/checkpoint.pt
$python -m training.language --workers 2
$python -m training.spacing --pages 120 --copies 50 --workers 2
$python -m training.likeness --pages 400 --workers 2
$python -m training.lengths --pages 400 --workers 2
$python -m training.blanks --pages 400 --workers 2
$python -m training.calibrate --pages 510 --workers 2

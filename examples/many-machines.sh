# Big runs: what they cost, money and time as a limit, stopping and going on, other machines.
# Run it in an empty folder:  sh many-machines.sh
set -e

# ---- trial
[ -d brackwater ] || sprenn new brackwater --demo
mkdir pictures
cp brackwater/references/windmill.png brackwater/references/tower.jpg brackwater/references/lighthouse.jpg brackwater/references/greenhouse.jpg pictures/
sprenn new tiles --from pictures --look brackwater/looks/linocut-a.png --prompt "a linocut in few colours"
sed 's/^size: 576/size: 288/' tiles/suite.yml > suite.new
mv suite.new tiles/suite.yml

# ---- plan
echo "limits: {takes: 40, cost: 5, hours: 2}" >> tiles/brief.yml
sprenn plan tiles | tail -n 12

# ---- limit
sprenn run tiles 2>&1 || echo "status $?"

# ---- within
sprenn run tiles --within 0.16

# ---- stop
timeout -s INT 6 sprenn run tiles --yes 2>&1 || echo "status $?"

# ---- on
sprenn run tiles --yes
sprenn check tiles --run main

# ---- workers
cat > workers.yml <<'END'
here: 0
listen: 127.0.0.1:0
END
sprenn run tiles --run far --yes --workers workers.yml > far.log 2>&1 &
while [ ! -f tiles/runs/far/join.sh ]; do sleep 1; done
sh tiles/runs/far/join.sh 2 > join.log 2>&1 &
wait %1
tail -n 4 far.log

# ---- prune
sed '/hold: 0.6, if_missing: drop}$/{/bracken/d;}' tiles/lineup.yml > lineup.new
mv lineup.new tiles/lineup.yml
sprenn prune tiles --run far

# ---- export
sprenn export tiles --out tiles.zip

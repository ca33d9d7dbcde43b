# Blind viewing: have people judge takes without knowing who made them.
# Run it in an empty folder:  sh blind-viewing.sh
set -e

# ---- trial
[ -d brackwater ] || sprenn new brackwater --demo
mkdir pictures
for tile in windmill.png tower.jpg lighthouse.jpg; do
  cp brackwater/references/$tile pictures/
done
sprenn new tiles --from pictures --look brackwater/looks/linocut-a.png --prompt "a linocut in few colours"
sed 's/^size: 576/size: 288/' tiles/suite.yml > suite.new
mv suite.new tiles/suite.yml
sprenn run tiles

# ---- open
sprenn viewing tiles --ballots 25 --for 600

# ---- results
sprenn viewing tiles --results

# When a new version comes out: the same suite again, and what has changed.
# Run it in an empty folder:  sh new-version.sh
set -e

# ---- trial
[ -d brackwater ] || sprenn new brackwater --demo
mkdir pictures
for tile in windmill.png tower.jpg lighthouse.jpg greenhouse.jpg mast.png; do
  cp brackwater/references/$tile pictures/
done
sprenn new tiles --from pictures --look brackwater/looks/gouache-a.png --prompt "in soft gouache"
sed 's/^size: 576/size: 288/' tiles/suite.yml > suite.new
mv suite.new tiles/suite.yml
cat > tiles/painter.R <<'END'
# A stand-in with a version and, for this guide, a strength that somebody may turn.
strength <- 1
base <- sprenn::standin_yarrow()
sprenn::engine(
  about = list(
    name = "painter", version = "3.1", checkpoints = list(tide = list(multiple_of = 64)),
    hold = c(at_0 = 1, at_1 = 0), takes = "look", repeatable = TRUE, price = 0, seconds = 0.3
  ),
  make = function(request) {
    made <- base$make(request)
    made$picture[] <- pmin(1, pmax(0, 0.5 + strength * (made$picture - 0.5)))
    made
  }
)
END
cat > tiles/lineup.yml <<'END'
engines:
  painter: {kind: function, file: painter.R}
  yarrow: {kind: function, call: "sprenn::standin_yarrow"}
pipelines:
  - {id: painter, engine: painter, hold: 0.6}
  - {id: yarrow, engine: yarrow, checkpoint: ember, hold: 0.6}
END

# ---- october
sprenn run tiles --run october
sprenn choose tiles --run october | head -n 2

# ---- turned
sed 's/^strength <- 1/strength <- 1.4/' tiles/painter.R > painter.new
mv painter.new tiles/painter.R

# ---- november
sprenn run tiles --run november

# ---- compare
sprenn compare tiles october november --out changes.png

# ---- again
sprenn export tiles --run october --as pictures --out october
sprenn recipe october/painter/windmill-11.png --again tiles --out again.png || echo "status $?"

# A measure of your own: beside every take, in the exports, and in the choice if you want.
# Run it in an empty folder:  sh own-measure.sh
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

# ---- measure
cat > tiles/own.R <<'END'
# The share of a picture that takes no ink: what a printer of linocuts asks first.
paper <- function(picture) mean(picture[, , 1] + picture[, , 2] + picture[, , 3] > 2.4)
list(
  measure_function(
    "paper", function(take, reference) paper(take),
    axis = "style", range = "0 all ink to 1 all paper", sees = "how much of the paper shows", blind_to = "where it shows"
  ),
  measure_function(
    "drowned", function(take, reference) 1 - paper(take),
    axis = "flaws", range = "0 all paper to 1 all ink", sees = "prints that are nearly all ink", blind_to = "where the ink is", bounds = c(0.97, 0.995)
  )
)
END
echo "measures: own.R" >> tiles/brief.yml

# ---- score
sprenn score tiles

# ---- export
sprenn export tiles --as csv --out tables
grep -E "^take|paper" tables/scores.csv | head -n 5

# ---- choose
sprenn choose tiles

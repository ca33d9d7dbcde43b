# Your own engine: an R function, tried, held against the contract, and put beside others.
# Run it in an empty folder:  sh own-engine.sh
set -e

# ---- trial
[ -d brackwater ] || sprenn new brackwater --demo
mkdir pictures
for tile in windmill.png ferry.webp tower.jpg lighthouse.jpg; do
  cp brackwater/references/$tile pictures/
done
sprenn new tiles --from pictures --look brackwater/looks/gouache-a.png --prompt "in soft washes of colour"
sed 's/^size: 576/size: 288/' tiles/suite.yml > suite.new
mv suite.new tiles/suite.yml

# ---- engine
cat > tiles/washes.R <<'END'
sprenn::engine(
  about = list(
    name = "washes", version = "2026-11",
    checkpoints = list(standard = list(multiple_of = 8)),
    settings = list(grain = c(0, 1)),
    hold = c(at_0 = 40, at_1 = 1), # its own knob: how many pixels are washed together
    repeatable = TRUE, price = 0, seconds = 0.1
  ),
  make = function(request) {
    picture <- request$reference # rows x columns x 3, sRGB from 0 to 1, at a size that suits
    size <- dim(picture)[2:1]
    small <- pmax(1, round(size / request$native_hold))
    washed <- magick::image_read(picture)
    washed <- magick::image_resize(washed, paste0(small[1], "x", small[2], "!"))
    washed <- magick::image_resize(washed, paste0(size[1], "x", size[2], "!"))
    painted <- as.integer(magick::image_data(washed, "rgb")) / 255
    set.seed(request$seed)
    painted <- painted + (if (is.null(request$settings$grain)) 0.1 else request$settings$grain) * rnorm(size[1] * size[2], 0, 0.1)
    sprenn::engine_result(png::writePNG(pmin(pmax(painted, 0), 1)), cost = 0, seed = request$seed)
  }
)
END

# ---- lineup
cat > tiles/lineup.yml <<'END'
engines:
  washes: {kind: function, file: washes.R}
  yarrow: {kind: function, call: "sprenn::standin_yarrow"}
pipelines:
  - {id: washes, engine: washes, hold: 0.6, if_missing: drop}
  - {id: washes-grain, like: washes, settings: {grain: 0.8}}
  - {id: yarrow, engine: yarrow, checkpoint: tide, hold: 0.6}
END
sprenn check tiles

# ---- try
sprenn engines tiles --try --out tried.png

# ---- conform
sprenn engines tiles --conform --engine washes

# ---- calibrate
sprenn calibrate tiles --engine washes --case ferry --rungs 5

# ---- choose
sprenn run tiles
sprenn choose tiles

# ---- why
sprenn explain tiles washes | tail -n 4

# Local edits, extensions and chains: a mask, more canvas, and a second step.
# Run it in an empty folder:  sh local-edits.sh
set -e

# ---- trial
[ -d brackwater ] || sprenn new brackwater --demo
mkdir -p tiles/references tiles/masks tiles/looks
cp brackwater/references/ferry.webp brackwater/references/sign.png brackwater/references/greenhouse-worn.jpg tiles/references/
cp brackwater/masks/ferry-keep.png tiles/masks/
cat > tiles/suite.yml <<'END'
suite: local
seeds: [11, 23]
size: [288, 192]
cases:
  # White in the picture may change; this one shows what to keep, so it is inverted.
  - id: ferry-sky
    job: edit
    reference: references/ferry.webp
    prompt: [{say: a yellow sky, probe: {colour: yellow, where: top third, share: at least 0.3}}]
    mask: {picture: masks/ferry-keep.png, invert: true, feather: 6, padding: 12}
    watch: {hull: {mask: masks/ferry-keep.png}}
  - id: sign-wide
    job: extend
    reference: {picture: references/sign.png, fit: extend}
    prompt: a signpost on a hill
    grow: {top: 0.1}
  - id: greenhouse-worn
    job: repair
    reference: references/greenhouse-worn.jpg
    prompt: [{say: "the same tile, mended: clean, without scratches", must: true}]
END
cat > tiles/lineup.yml <<'END'
engines:
  yarrow: {kind: function, call: "sprenn::standin_yarrow"}
  quince: {kind: function, call: "sprenn::standin_quince"}
  teasel: {kind: function, call: "sprenn::standin_teasel"}
pipelines:
  - {id: yarrow, engine: yarrow, checkpoint: tide, hold: 0.85, if_missing: drop}
  - {id: quince, engine: quince, hold: 0.85, if_missing: drop}
  # A chain: quince, and then a refiner over what it made.
  - {id: quince-combed, if_missing: drop, steps: [{engine: quince, hold: 0.85}, {engine: teasel, hold: 0.9}]}
END
cat > tiles/brief.yml <<'END'
brief: small changes that leave the rest alone
weights: {structure: 0.6, adherence: 0.2, style: 0.2}
floors: {structure: 0.4}
style: stay
END
sprenn check tiles

# ---- prepare
sprenn prepare tiles --out prepared

# ---- run
sprenn run tiles

# ---- sheet
sprenn sheet tiles --out sheet.png

# ---- leak
sprenn export tiles --as pictures --out takes
inputs=prepared/inputs/ferry-sky/288x192
sprenn measure takes/quince/ferry-sky-11.png --against $inputs/reference.png --mask $inputs/mask.png --job edit --measure leak --explain leak.png | grep -E "axis|leak"

# ---- chain
sprenn sheet tiles --by steps --pipeline quince-combed --out steps.png
sprenn explain tiles quince-combed

# ---- choose
sprenn choose tiles

# What the scores mean: one picture at a time, and a picture that says why.
# Run it in an empty folder:  sh scores.sh
set -e

# ---- takes
[ -d brackwater ] || sprenn new brackwater --demo
mkdir pictures
cp brackwater/references/windmill.png brackwater/references/lighthouse.jpg pictures/
sprenn new tiles --from pictures --look brackwater/looks/linocut-a.png --prompt "a linocut"
cat > tiles/lineup.yml <<'END'
engines:
  bracken: {kind: function, call: "sprenn::standin_bracken"}
  quince: {kind: function, call: "sprenn::standin_quince"}
pipelines:
  - {id: loose, engine: bracken, hold: 0.2, if_missing: drop}
  - {id: held, like: loose, hold: 0.68}
  - {id: quince, engine: quince, hold: 0.6, if_missing: drop}
END
sprenn run tiles
sprenn export tiles --as pictures --out takes
ls takes/*

# ---- sheet
sprenn sheet tiles --case windmill --out sheet.png

# ---- held
sprenn measure takes/held/windmill-11.png --against pictures/windmill.png --look brackwater/looks/linocut-a.png --explain held.png

# ---- loose
sprenn measure takes/loose/windmill-11.png --against pictures/windmill.png --look brackwater/looks/linocut-a.png --explain loose.png | head -n 4

# ---- itself
sprenn measure pictures/windmill.png --against pictures/windmill.png | head -n 6

# ---- vanished
sprenn measure takes/quince/lighthouse-11.png --against pictures/lighthouse.jpg --explain vanished.png --measure vanished | grep -E 'axis|vanished|new_details|lines'

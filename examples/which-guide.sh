# Which guide, how strong, until when? One engine, three kinds of guide, weights and releases.
# Run it in an empty folder:  sh which-guide.sh
set -e

# ---- trial
[ -d brackwater ] || sprenn new brackwater --demo
mkdir pictures
for tile in windmill.png ferry.webp tower.jpg lighthouse.jpg; do
  cp brackwater/references/$tile pictures/
done
sprenn new guided --from pictures --look brackwater/looks/gouache-a.png --prompt "a gouache in soft colours"
sed -e 's/^size: 576/size: 288/' -e 's/^seeds:.*/seeds: [11, 12]/' guided/suite.yml > suite.new
mv suite.new guided/suite.yml

# ---- lineup
cat > guided/lineup.yml <<'END'
engines:
  yarrow: {kind: function, call: "sprenn::standin_yarrow"}
pipelines:
  - {id: bare, engine: yarrow, checkpoint: tide, hold: 0.35}
  - {id: led, like: bare, guides: {kind: edges, weight: 0.8, release: 0.6}}
sweeps:
  - {of: led, vary: guides.kind, over: [soft_edges, areas]}
  - {of: led, vary: guides.weight, over: [0.2, 0.4, 0.6, 1, 1.4, 1.8]}
  - {of: led, vary: guides.release, over: [0.1, 0.2, 0.4, 1]}
END

# ---- plan
sprenn plan guided --inputs | head -n 6

# ---- run
sprenn run guided

# ---- kind
sprenn contrasts guided --vary guides.kind

# ---- weight
sprenn curves guided --vary guides.weight --out weights.png
sprenn sheet guided --by sweep --vary guides.weight --case lighthouse --out lighthouse.png

# ---- release
sprenn curves guided --vary guides.release

# ---- worth
sprenn contrasts guided --vary guides

# ---- choose
sprenn choose guided

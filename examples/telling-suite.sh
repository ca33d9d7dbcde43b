# A suite that can tell pipelines apart: from two cases that say nothing to cases, phrases
# and controls that do. Run it in an empty folder:  sh telling-suite.sh
set -e

# ---- thin
[ -d brackwater ] || sprenn new brackwater --demo
mkdir -p tiles/references tiles/looks
cp brackwater/references/*.png brackwater/references/*.jpg tiles/references/
cp brackwater/looks/linocut-*.png tiles/looks/
cat > tiles/lineup.yml <<'END'
engines:
  yarrow: {kind: function, call: "sprenn::standin_yarrow"}
  bracken: {kind: function, call: "sprenn::standin_bracken"}
pipelines:
  - {id: yarrow, engine: yarrow, checkpoint: tide, hold: 0.6}
  - {id: bracken, engine: bracken, hold: 0.7}
END
cat > tiles/brief.yml <<'END'
brief: repaint the tiles as linocuts
weights: {structure: 0.4, adherence: 0.3, style: 0.3}
floors: {structure: 0.3}
style: reach the look
END
cat > tiles/suite.yml <<'END'
suite: thin
seeds: [11]
size: [288, 192]
looks: {linocut: {pictures: [looks/linocut-a.png, looks/linocut-b.png]}}
cases:
  - {id: windmill, job: restyle, reference: references/windmill.png, look: linocut, prompt: a lovely windmill}
  - {id: tower, job: restyle, reference: references/tower.jpg, look: linocut, prompt: a lovely water tower}
END
sprenn run tiles --run thin
sprenn choose tiles --run thin

# ---- evidence
sprenn evidence tiles --run thin

# ---- probe
sprenn probe tiles/references/windmill.png "colour: sky blue, where: top third, share: at least 0.4" --explain probe.png

# ---- telling
cat > tiles/suite.yml <<'END'
suite: telling
seeds: [11, 23]
size: [288, 192]
looks: {linocut: {pictures: [looks/linocut-a.png, looks/linocut-b.png]}}
cases:
  - id: windmill
    job: restyle
    reference: references/windmill.png
    look: linocut
    prompt: [a windmill on a hill, {say: a cream sky, probe: {colour: cream, where: top third, share: at least 0.5}}]
    watch: {sails: {box: [0.42, 0.20, 0.70, 0.55], keep: 0.6}}
  - id: tower
    like: windmill
    reference: references/tower.jpg
    prompt: [a water tower, {say: a bright noon, probe: {brightness: at least 0.6}}]
    watch: {tank: {box: [0.3, 0.1, 0.7, 0.5]}}
  - id: lighthouse
    like: tower
    reference: references/lighthouse.jpg
    prompt: [a lighthouse, {say: at dusk, weight: 1.2, probe: {brightness: at most 0.42}}]
    watch: {lamp: {box: [0.28, 0.03, 0.48, 0.35]}}
  - id: greenhouse
    like: tower
    reference: references/greenhouse.jpg
    prompt: [a greenhouse, {say: a pink sky, probe: {colour: pink, where: top third, share: at least 0.3}}]
    watch: {door: {box: [0.35, 0.4, 0.65, 0.9]}}
  - id: kites
    like: tower
    reference: references/kites.png
    prompt: [a child on a hill, {say: a yellow sky, must: true, probe: {colour: yellow, where: top third, share: at least 0.3}}]
    watch: {child: {box: [0.45, 0.5, 0.7, 0.85]}}
END
sprenn check tiles

# ---- controls
cat >> tiles/lineup.yml <<'END'
controls: [swapped_prompt, no_look, repeat]
control_sample: {cases: 2}
END
sprenn plan tiles

# ---- run
sprenn run tiles --run telling
sprenn choose tiles --run telling

# ---- influence
sprenn influence tiles --run telling --out influence.png

# ---- seeds
sprenn sheet tiles --run telling --by seeds --pipeline bracken --case lighthouse,kites --out seeds.png

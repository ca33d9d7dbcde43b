# A hosted service with an interface of its own: described in twelve lines, tried, mended without
# paying, and put beside another engine. Run it in an empty folder:  sh your-service.sh
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

# ---- service
sprenn standins madder --port 8471 --for 900 > madder.log 2>&1 &
echo $! > madder.pid
until grep -q "Ctrl-C" madder.log; do sleep 1; done

# ---- description
cat > tiles/lineup.yml <<'END'
engines:
  madder:
    kind: described
    address: "http://127.0.0.1:8471"
    make:
      call: POST /paint
      json:
        ask: {prompt: "{prompt}", source: "{reference.data_url}", looseness: "{knob}", manner: "{look.data_url}"}
        size: "{width}x{height}"
    result: {picture: "$.result.frames[0].content", cost: $.meter.units, unit_price: 0.001}
    failures:
      - {kind: refused, at: $.error.code, is: [E_CONTENT], message: $.error.text}
    about: {version: "2026.11", hold: {at_0: 1, at_1: 0}, takes: [look, text_alone], price: 0.003}
  yarrow: {kind: function, call: "sprenn::standin_yarrow"}
pipelines:
  - {id: madder, engine: madder, hold: 0.6}
  - {id: yarrow, engine: yarrow, checkpoint: tide, hold: 0.6, settings: {guidance: 8}}
END
sprenn check tiles || true

# ---- seed
sed 's|call: POST /paint|call: POST /paint\n      headers: {X-Seed: "{seed}"}|' tiles/lineup.yml > lineup.new
mv lineup.new tiles/lineup.yml
sprenn engines tiles --engine madder --try --dry

# ---- try
sprenn engines tiles --engine madder --try --out tried.png || true

# ---- answer
tail -n 1 tried-madder-make.http

# ---- mend
sed 's|^    failures:|    failures:\n      - {kind: bad_request, at: $.error.code, is: [E_INPUT], message: $.error.text}|' tiles/lineup.yml > lineup.new
mv lineup.new tiles/lineup.yml
sprenn engines tiles --engine madder --replay tried-madder-make.http

# ---- size
sed 's/version: "2026.11"/version: "2026.11", checkpoints: {madder: {multiple_of: 16}}/' tiles/lineup.yml > lineup.new
mv lineup.new tiles/lineup.yml
sprenn engines tiles --try --out tried.png

# ---- choose
sprenn run tiles
sprenn choose tiles

# ---- stop
kill $(cat madder.pid)

# Choose your first pipeline: five pictures, a look, the engines that ship with Sprenn.
# Run it in an empty folder:  sh first-pipeline.sh
set -e

# ---- pictures
[ -d brackwater ] || sprenn new brackwater --demo
mkdir pictures
for tile in windmill.png ferry.webp tower.jpg lighthouse.jpg greenhouse.jpg; do
  cp brackwater/references/$tile pictures/
done

# ---- new
sprenn new tiles --from pictures --look brackwater/looks/linocut-a.png --prompt "a linocut in few colours"

# ---- smaller
sed 's/^size: 576/size: 288/' tiles/suite.yml > suite.new
mv suite.new tiles/suite.yml

# ---- check
sprenn check tiles

# ---- plan
sprenn plan tiles

# ---- run
sprenn run tiles

# ---- choose
sprenn choose tiles

# ---- sheet
sprenn sheet tiles --case windmill,tower --out sheet.png

# ---- what-if
sprenn choose tiles --if style=0.6 | head -n 2
sprenn choose tiles --without yarrow/hold=0.9 | head -n 2

# ---- why-not
sprenn explain tiles bracken

# ---- report
sprenn report tiles --out report.html

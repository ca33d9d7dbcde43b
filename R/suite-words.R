# The words by which phrases are read (suite-reading.R): a small table of our own. A general lexicon
# knows a hundred thousand words more, but not which of them can be checked, and it gives each
# several senses that only a reader can choose between.

# Colours by the names that colour_names() has. What dims or lightens a colour is read with it only
# where the result has a name of its own: "pale yellow" may be cream or yellow, so it is not read.
colour_words <- list(
  black = c("black", "jet black", "pitch black"),
  grey = c("grey", "gray", "light grey", "dark grey", "light gray", "dark gray", "pale grey"),
  white = c("white", "snow white", "pure white"),
  cream = c("cream", "ivory", "off white", "cream coloured", "cream colored"),
  beige = c("beige"),
  brown = c("brown", "browns"),
  red = c("red", "reds", "crimson", "scarlet", "bright red", "deep red"),
  orange = c("orange", "bright orange"),
  ochre = c("ochre", "ocher", "mustard"),
  yellow = c("yellow", "bright yellow"),
  green = c(
    "green", "greens", "dark green", "light green", "pale green", "bright green",
    "mint green", "emerald", "emerald green"
  ),
  teal = c("teal", "turquoise", "petrol blue"),
  "sky blue" = c("sky blue", "light blue", "pale blue", "baby blue"),
  blue = c("blue", "blues", "deep blue", "bright blue", "royal blue", "cobalt"),
  navy = c("navy", "navy blue"),
  purple = c("purple", "violet"),
  pink = c("pink", "bright pink", "hot pink", "pale pink")
)

# Things whose colour goes by that name but is another one, and words that a colour's name is a
# part of.
no_colour_before <- c(
  "hair", "haired", "beard", "bearded", "skin", "skinned", "eyes", "eyed", "wine", "fox", "bear",
  "hour", "tea", "light", "lights", "juice", "peel", "tree", "trees", "noise", "magic", "board",
  "cross", "card", "market", "humour", "humor", "mood", "belt", "rhino", "whale", "pepper", "onion"
)
colours_of_light <- c("red", "green", "blue", "purple", "pink", "orange", "yellow", "teal")

# Where something is that has a place in most pictures.
placed_words <- list(
  top = c("sky", "skies", "clouds"),
  bottom = c("grass", "lawn", "ground", "floor", "carpet"),
  border = c("background", "backdrop", "border")
)

# Words for people, one and several. Trades are those that prompts have; names of things that end
# alike (a computer, a tower) are none.
one_person <- c(
  "person", "man", "woman", "girl", "boy", "child", "kid", "baby", "toddler", "teenager", "lady",
  "gentleman", "guy", "fisherman", "fisherwoman", "sailor", "captain", "ferryman", "chef", "cook",
  "waiter", "waitress", "nurse", "doctor", "soldier", "policeman", "policewoman", "firefighter",
  "farmer", "worker", "businessman", "businesswoman", "astronaut", "knight", "king", "queen",
  "prince", "princess", "wizard", "witch", "monk", "nun", "priest", "bride", "groom", "clown",
  "dancer", "ballerina", "singer", "musician", "guitarist", "pianist", "painter", "artist", "actor",
  "actress", "teacher", "student", "scientist", "mechanic", "carpenter", "blacksmith", "baker",
  "pilot", "driver", "rider", "cyclist", "skateboarder", "surfer", "skier", "runner", "swimmer",
  "boxer", "player", "hiker", "climber", "tourist", "passenger", "traveller", "traveler",
  "mother", "father", "mum", "mom", "dad", "son", "daughter", "brother", "sister", "grandmother",
  "grandfather", "warrior", "samurai", "pirate", "cowboy", "figure", "passer-by", "shepherd",
  "mistress", "merchant", "judge", "lawyer", "journalist", "photographer", "spectator"
)
irregular_people <- c(
  men = "man", women = "woman", children = "child", people = "person", persons = "person",
  ladies = "lady", babies = "baby", gentlemen = "gentleman", fishermen = "fisherman",
  policemen = "policeman", businessmen = "businessman", witches = "witch",
  businesswomen = "businesswoman", folk = "person", kids = "kid"
)
many_people <- c("crowd", "crowds", "audience", "team", "passengers", "spectators", "couples")
pairs_of_people <- c("couple", "twins", "newlyweds")

# Things that pictures are known to be looked through for: the 80 kinds of the COCO data set (Lin et
# al. 2014) and what else they are called. The stand-in judges' kite is one of them.
thing_words <- list(
  bicycle = c("bicycle", "bike"),
  car = c("car", "taxi", "automobile", "limousine"),
  motorcycle = c("motorcycle", "motorbike", "scooter"),
  airplane = c("airplane", "aeroplane", "plane", "jet", "airliner"),
  bus = c("bus", "coach"),
  train = c("train", "locomotive", "tram"),
  truck = c("truck", "lorry", "van"),
  boat = c(
    "boat", "ship", "ferry", "yacht", "sailboat", "sailing boat", "rowing boat", "canoe",
    "fishing boat", "sail boat", "gondola"
  ),
  "traffic light" = "traffic light",
  "fire hydrant" = c("fire hydrant", "hydrant"),
  "stop sign" = "stop sign",
  "parking meter" = "parking meter",
  bench = c("bench", "park bench"),
  bird = c(
    "bird", "gull", "seagull", "pigeon", "parrot", "owl", "swan", "duck", "eagle", "crow",
    "heron", "hen", "rooster", "goose", "sparrow", "flamingo"
  ),
  cat = c("cat", "kitten"),
  dog = c("dog", "puppy", "terrier", "poodle"),
  horse = c("horse", "pony", "foal"),
  sheep = c("sheep", "lamb"),
  cow = c("cow", "bull", "calf", "ox"),
  elephant = "elephant",
  bear = c("bear", "polar bear"),
  zebra = "zebra",
  giraffe = "giraffe",
  backpack = c("backpack", "rucksack"),
  umbrella = c("umbrella", "parasol"),
  handbag = c("handbag", "purse"),
  tie = c("tie", "necktie", "bow tie"),
  suitcase = "suitcase",
  frisbee = "frisbee",
  skis = "skis",
  snowboard = "snowboard",
  "sports ball" = c("ball", "football", "basketball", "soccer ball"),
  kite = "kite",
  "baseball bat" = "baseball bat",
  "baseball glove" = "baseball glove",
  skateboard = "skateboard",
  surfboard = "surfboard",
  "tennis racket" = c("tennis racket", "racket"),
  bottle = c("bottle", "wine bottle", "perfume bottle"),
  "wine glass" = c("wine glass", "glass of wine"),
  cup = c("cup", "mug", "coffee mug", "teacup", "coffee cup"),
  fork = "fork",
  knife = "knife",
  spoon = "spoon",
  bowl = "bowl",
  banana = "banana",
  apple = "apple",
  sandwich = "sandwich",
  orange = character(),
  broccoli = "broccoli",
  carrot = "carrot",
  "hot dog" = "hot dog",
  pizza = "pizza",
  donut = c("donut", "doughnut"),
  cake = c("cake", "cupcake"),
  chair = c("chair", "armchair", "stool"),
  couch = c("couch", "sofa"),
  "potted plant" = c("potted plant", "houseplant"),
  bed = "bed",
  "dining table" = c("dining table", "dinner table", "table"),
  toilet = "toilet",
  tv = c("tv", "television"),
  laptop = "laptop",
  mouse = "computer mouse",
  remote = "remote control",
  keyboard = "keyboard",
  "cell phone" = c("cell phone", "smartphone", "mobile phone"),
  microwave = "microwave",
  oven = c("oven", "stove"),
  toaster = "toaster",
  sink = "sink",
  refrigerator = c("refrigerator", "fridge"),
  book = "book",
  clock = c("clock", "alarm clock"),
  vase = "vase",
  scissors = "scissors",
  "teddy bear" = "teddy bear",
  "hair drier" = "hair dryer",
  toothbrush = "toothbrush"
)
irregular_things <- c(
  knives = "knife", buses = "bus", benches = "bench", sandwiches = "sandwich", geese = "goose",
  calves = "calf", oxen = "ox", glasses = "glass", ponies = "pony", ferries = "ferry",
  puppies = "puppy", bicycles = "bicycle", lorries = "lorry", couches = "couch"
)
# One and many are the same word.
uncounted_things <- c("sheep", "skis", "scissors")

number_words <- c(
  one = 1, two = 2, three = 3, four = 4, five = 5, six = 6, seven = 7, eight = 8, nine = 9,
  ten = 10, eleven = 11, twelve = 12, single = 1, lone = 1, solitary = 1
)
several_words <- c(
  "many", "several", "some", "few", "dozens", "hundreds", "thousands", "countless", "various",
  "group", "herd", "flock", "pack", "row", "rows", "lots", "basket", "pile", "bunch", "full"
)

# Words between which and a noun before them nothing else can belong to that noun: it is no part
# of a longer one, as the bus in "bus stop" is.
after_a_noun <- c(
  "and", "or", "in", "on", "at", "by", "with", "without", "of", "from", "to", "into", "over",
  "under", "above", "below", "behind", "beside", "near", "next", "between", "through", "across",
  "against", "around", "for", "as", "that", "who", "which", "is", "are", "has", "in", "inside",
  "outside", "up", "down", "off", "towards", "toward", "along", "only", "alone", "everywhere",
  "there", "where", "while", "seen", "cut", "parked", "made", "left", "right"
)

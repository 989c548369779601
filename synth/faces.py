"""The catalogue of type faces, where each comes from, and which split it belongs to.

A family is trained on (``train``), used to tune and calibrate (``val``), or kept for the
benchmarks and the demo alone (``held``). No design appears in two splits under two names.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Literal

Split = Literal["train", "val", "held"]
Kind = Literal["sans", "serif", "mono", "typewriter", "narrow", "dots"]

FONT_DIR = Path(__file__).resolve().parent.parent / ".cache" / "fonts"
INDEX_FILE = FONT_DIR / "index.json"


@dataclass(frozen=True)
class Family:
    """One type family and the files that make it up.

    ``package`` is ``deb:NAME`` or ``npm:NAME``; ``files`` are glob patterns below the unpacked
    package, the upright regular first.
    """

    name: str
    kind: Kind
    split: Split
    package: str
    files: tuple[str, ...]


def _deb(package: str, split: Split, kind: Kind, **families: str) -> list[Family]:
    return [
        Family(name.replace("_", " "), kind, split, f"deb:{package}", tuple(files.split()))
        for name, files in families.items()
    ]


def _web(split: Split, kind: Kind, names: str) -> list[Family]:
    patterns = tuple(
        f"*-latin-{w}-{s}.woff2" for w, s in ((400, "normal"), (700, "normal"), (400, "italic"))
    )
    return [
        Family(name.replace("-", " ").title(), kind, split, f"npm:@fontsource/{name}", patterns)
        for name in names.split()
    ]


CATALOGUE: tuple[Family, ...] = (
    # --- trained on: Debian ------------------------------------------------------------------
    *_deb("fonts-liberation", "train", "sans", Liberation_Sans="LiberationSans-*.ttf"),
    *_deb("fonts-liberation", "train", "serif", Liberation_Serif="LiberationSerif-*.ttf"),
    *_deb("fonts-liberation", "train", "mono", Liberation_Mono="LiberationMono-*.ttf"),
    *_deb(
        "fonts-liberation", "train", "narrow", Liberation_Sans_Narrow="LiberationSansNarrow-*.ttf"
    ),
    *_deb("fonts-dejavu-core", "train", "sans", DejaVu_Sans="DejaVuSans.ttf DejaVuSans-Bold.ttf"),
    *_deb(
        "fonts-dejavu-core", "train", "serif", DejaVu_Serif="DejaVuSerif.ttf DejaVuSerif-Bold.ttf"
    ),
    *_deb("fonts-dejavu-core", "train", "mono", DejaVu_Sans_Mono="DejaVuSansMono*.ttf"),
    *_deb(
        "fonts-dejavu-extra",
        "train",
        "narrow",
        DejaVu_Sans_Condensed="DejaVuSansCondensed.ttf DejaVuSansCondensed-Bold.ttf",
    ),
    *_deb("fonts-freefont-otf", "train", "serif", FreeSerif="FreeSerif*.otf"),
    *_deb("fonts-freefont-otf", "train", "mono", FreeMono="FreeMono*.otf"),
    *_deb("fonts-crosextra-carlito", "train", "sans", Carlito="Carlito-*.ttf"),
    *_deb(
        "fonts-lmodern",
        "train",
        "serif",
        LM_Roman="lmroman10-regular.otf lmroman10-bold.otf lmroman10-italic.otf",
    ),
    *_deb("fonts-lmodern", "train", "typewriter", LM_Mono="lmmono10-regular.otf lmmonolt10-*.otf"),
    *_deb(
        "fonts-texgyre",
        "train",
        "serif",
        TG_Pagella="texgyrepagella-*.otf",
        TG_Schola="texgyreschola-*.otf",
        TG_Bonum="texgyrebonum-*.otf",
    ),
    *_deb(
        "fonts-texgyre",
        "train",
        "sans",
        TG_Adventor="texgyreadventor-*.otf",
        TG_Heros="texgyreheros-*.otf",
    ),
    *_deb("fonts-texgyre", "train", "narrow", TG_Heros_Cn="texgyreheroscn-*.otf"),
    *_deb("fonts-texgyre", "train", "typewriter", TG_Cursor="texgyrecursor-*.otf"),
    *_deb("fonts-sil-gentiumplus", "train", "serif", Gentium_Plus="GentiumPlus-*.ttf"),
    *_deb("fonts-sil-charis", "train", "serif", Charis_SIL="CharisSIL-*.ttf"),
    *_deb("fonts-sil-andika", "train", "sans", Andika="Andika-*.ttf"),
    *_deb("fonts-ebgaramond", "train", "serif", EB_Garamond="EBGaramond12-*.otf"),
    *_deb(
        "fonts-linuxlibertine",
        "train",
        "serif",
        Linux_Libertine="LinLibertine_R.otf LinLibertine_RB.otf LinLibertine_RI.otf",
    ),
    *_deb(
        "fonts-linuxlibertine",
        "train",
        "sans",
        Linux_Biolinum="LinBiolinum_R.otf LinBiolinum_RB.otf LinBiolinum_RI.otf",
    ),
    *_deb("fonts-cantarell", "train", "sans", Cantarell="Cantarell-Regular.otf Cantarell-Bold.otf"),
    *_deb(
        "fonts-roboto-unhinted",
        "train",
        "sans",
        Roboto="Roboto-Regular.ttf Roboto-Bold.ttf Roboto-Italic.ttf Roboto-Light.ttf",
    ),
    *_deb(
        "fonts-roboto-unhinted",
        "train",
        "narrow",
        Roboto_Condensed="RobotoCondensed-Regular.ttf RobotoCondensed-Bold.ttf",
    ),
    *_deb(
        "fonts-open-sans",
        "train",
        "sans",
        Open_Sans="OpenSans-Regular.ttf OpenSans-Bold.ttf OpenSans-Italic.ttf",
    ),
    *_deb(
        "fonts-open-sans",
        "train",
        "narrow",
        Open_Sans_Cond="OpenSans-CondLight.ttf OpenSans-CondBold.ttf",
    ),
    *_deb("fonts-lato", "train", "sans", Lato="Lato-Regular.ttf Lato-Bold.ttf Lato-Italic.ttf"),
    *_deb("fonts-inconsolata", "train", "mono", Inconsolata="Inconsolata.otf"),
    *_deb(
        "fonts-courier-prime",
        "train",
        "typewriter",
        Courier_Prime="Courier?Prime.otf Courier?Prime?Bold.otf Courier?Prime?Italic.otf",
    ),
    *_deb("fonts-ocr-b", "train", "mono", OCR_B="OCRB.otf"),
    *_deb("fonts-go", "train", "sans", Go="Go-Regular.ttf Go-Bold.ttf Go-Italic.ttf"),
    *_deb("fonts-go", "train", "mono", Go_Mono="Go-Mono.ttf Go-Mono-Bold.ttf"),
    *_deb(
        "fonts-inter", "train", "sans", Inter="Inter-Regular.otf Inter-Bold.otf Inter-Italic.otf"
    ),
    *_deb(
        "fonts-jetbrains-mono",
        "train",
        "mono",
        JetBrains_Mono="JetBrainsMono-Regular.ttf JetBrainsMono-Bold.ttf",
    ),
    *_deb(
        "fonts-anonymous-pro",
        "train",
        "mono",
        Anonymous_Pro="Anonymous?Pro.ttf Anonymous?Pro?B.ttf",
    ),
    *_deb("fonts-oldstandard", "train", "serif", Old_Standard="OldStandard-*.ttf"),
    *_deb("fonts-opendin", "train", "sans", Open_DIN="OSP-DIN.ttf"),
    *_deb(
        "fonts-vollkorn",
        "train",
        "serif",
        Vollkorn="Vollkorn-Regular.ttf Vollkorn-Bold.ttf Vollkorn-Italic.ttf",
    ),
    *_deb("fonts-yrsa-rasa", "train", "serif", Yrsa="Yrsa-Regular.ttf Yrsa-Bold.ttf"),
    *_deb("fonts-gnutypewriter", "train", "typewriter", GNU_Typewriter="GNUTypewriter.ttf"),
    *_deb(
        "fonts-tlwg-typewriter-ttf", "train", "typewriter", Tlwg_Typewriter="TlwgTypewriter*.ttf"
    ),
    *_deb("fonts-tlwg-typo-ttf", "train", "typewriter", Tlwg_Typo="TlwgTypo*.ttf"),
    *_deb("fonts-quattrocento", "train", "serif", Quattrocento="Quattrocento-Regular.otf"),
    *_deb(
        "fonts-cabin", "train", "sans", Cabin="Cabin-Regular.otf Cabin-Bold.otf Cabin-Italic.otf"
    ),
    *_deb(
        "fonts-adf-baskervald",
        "train",
        "serif",
        Baskervald="BaskervaldADFStd.otf BaskervaldADFStd-Bold.otf BaskervaldADFStd-Italic.otf",
    ),
    *_deb(
        "fonts-adf-gillius",
        "train",
        "sans",
        Gillius="GilliusADF-Regular.otf GilliusADF-Bold.otf GilliusADF-Italic.otf",
    ),
    *_deb(
        "fonts-adf-gillius",
        "train",
        "narrow",
        Gillius_Cond="GilliusADF-Cond.otf GilliusADF-BoldCond.otf",
    ),
    *_deb(
        "fonts-adf-universalis",
        "train",
        "sans",
        Universalis="UniversalisADFStd-Regular.otf UniversalisADFStd-Bold.otf",
    ),
    *_deb("fonts-manrope", "train", "sans", Manrope="Manrope-Regular.ttf Manrope-Bold.ttf"),
    *_deb("fonts-mononoki", "train", "mono", Mononoki="mononoki-Regular.ttf mononoki-Bold.ttf"),
    *_deb("fonts-dosis", "train", "narrow", Dosis="Dosis-Book.otf Dosis-Bold.otf"),
    *_deb("fonts-spleen", "train", "dots", Spleen="spleen-12x24.otf"),
    *_deb("fonts-tuffy", "train", "sans", Tuffy="Tuffy.ttf Tuffy_Bold.ttf Tuffy_Italic.ttf"),
    *_deb("fonts-goudybookletter", "train", "serif", Goudy_Bookletter="GoudyBookletter1911.otf"),
    *_deb("fonts-routed-gothic", "train", "sans", Routed_Gothic="routed-gothic.ttf"),
    *_deb(
        "fonts-routed-gothic", "train", "narrow", Routed_Gothic_Narrow="routed-gothic-narrow.ttf"
    ),
    *_deb("fonts-oxygen", "train", "sans", Oxygen="Oxygen-Sans.ttf Oxygen-Sans-Bold.ttf"),
    *_deb("fonts-3270", "train", "mono", IBM_3270="3270-Regular.ttf 3270SemiCondensed-Regular.ttf"),
    *_deb("fonts-glasstty", "train", "dots", Glass_TTY="Glass_TTY_VT220.ttf"),
    # --- trained on: web font packages -----------------------------------------------------
    *_web(
        "train",
        "mono",
        "ibm-plex-mono source-code-pro roboto-mono ubuntu-mono space-mono dm-mono"
        " martian-mono azeret-mono xanh-mono nova-mono fira-mono fragment-mono cascadia-code"
        " commit-mono geist-mono iosevka kode-mono maple-mono monaspace-neon monaspace-krypton"
        " reddit-mono sometype-mono victor-mono b612-mono comic-mono nanum-gothic-coding"
        " ia-writer-mono atkinson-hyperlegible-mono biz-udgothic",
    ),
    *_web(
        "train",
        "sans",
        "ibm-plex-sans source-sans-3 fira-sans work-sans nunito-sans rubik mulish"
        " exo-2 alegreya-sans josefin-sans lekton abeezee asap dm-sans catamaran chivo montserrat"
        " raleway lexend questrial signika varela-round maven-pro nanum-gothic m-plus-1p"
        " kosugi-maru zen-kaku-gothic-new zen-maru-gothic b612 play quantico jura didact-gothic"
        " tenor-sans hanken-grotesk space-grotesk instrument-sans",
    ),
    *_web(
        "train",
        "serif",
        "ibm-plex-serif source-serif-4 merriweather libre-baskerville crimson-text"
        " lora bitter arvo zilla-slab noto-serif playfair-display spectral alegreya rokkitt"
        " libre-caslon-text newsreader antic-slab kameron trocchi aleo amiri besley bodoni-moda"
        " brawler bree-serif cormorant esteban faustina frank-ruhl-libre gfs-didot"
        " im-fell-english inika kaisei-opti karma lustria martel nanum-myeongjo petrona piazzolla"
        " prata roboto-slab sanchez shippori-mincho sorts-mill-goudy stix-two-text taviraj volkhov"
        " zen-old-mincho fraunces unna poly",
    ),
    *_web("train", "typewriter", "cutive"),
    *_web(
        "train",
        "narrow",
        "fira-sans-condensed oswald saira-condensed encode-sans-condensed"
        " asap-condensed sofia-sans-condensed ibm-plex-sans-condensed ubuntu-condensed"
        " saira-extra-condensed league-gothic yanone-kaffeesatz fjalla-one teko rajdhani"
        " libre-caslon-condensed",
    ),
    *_web("train", "dots", "vt323 pixelify-sans press-start-2p unifontex tiny5 doto"),
    # --- trained on since the seventh stage --------------------------------------------------
    *_web(
        "train",
        "sans",
        "abel acme actor alata aldrich alexandria allan almarai amaranth anuphan assistant"
        " atkinson-hyperlegible atkinson-hyperlegible-next average-sans bai-jamjuree"
        " be-vietnam-pro biryani biz-udpgothic blinker bricolage-grotesque cairo cal-sans"
        " chakra-petch changa comfortaa comic-neue commissioner cooper-hewitt darker-grotesque"
        " encode-sans epilogue exo familjen-grotesk farsan figtree firago funnel-sans gabarito"
        " geist gothic-a1 golos-text heebo host-grotesk inclusive-sans istok-web k2d kanit"
        " krub kumbh-sans league-spartan livvic m-plus-rounded-1c marmelad merriweather-sans"
        " metrophobic metropolis michroma mitr mona-sans montserrat-alternates niramit nobile"
        " nokora numans oxanium onest opendyslexic orbitron orienta outfit pathway-extreme"
        " philosopher playpen-sans plus-jakarta-sans poppins pretendard prompt quicksand"
        " radio-canada readex-pro recursive reem-kufi rethink-sans ruda ruluko rosario sansita"
        " sarabun sarala sawarabi-gothic schibsted-grotesk sen sintony sora strait tajawal"
        " telex tomorrow urbanist ubuntu varela vazirmatn wix-madefor-text yantramanav zain"
        " zen-kaku-gothic-antique anaheim armata athiti arsenal belleza cambay cantora-one"
        " carme convergence electrolize federo galdeano gudea hammersmith-one harmattan"
        " imprima jaldi kite-one magra mako mada molengo monda nunito pontano-sans puritan"
        " rambla scada shanti snippet tauri text-me-one viga ysabeau inria-sans nova-flat"
        " nova-square iceland zen-dots goldman audiowide krona-one iosevka-aile carrois-gothic"
        " tillana gantari gotu lexend-deca",
    ),
    *_web(
        "train",
        "serif",
        "abhaya-libre adamina alice arapey arbutus-slab artifika average balthazar belgrano"
        " bellefair bentham buenard caudex coustard crete-round crimson-pro dm-serif-text"
        " el-messiri enriqueta fanwood-text fjord-one gilda-display glegoo gowun-batang gupter"
        " habibi halant headland-one ibarra-real-nova inknut-antiqua instrument-serif"
        " jacques-francois josefin-slab judson junge kadwa kotta-one kreon kurale ledger"
        " libre-bodoni linden-hill lusitana marcellus mate marko-one maitree manuale montaga"
        " noto-serif-jp noto-serif-display oranienbaum podkova pridi prociono quando radley"
        " rasa rhodium-libre roboto-serif rosarivo rufina sahitya scope-one slabo-27px"
        " slabo-13px stoke sumana suranna sura tienne trirong trykker vesper-libre vidaloka"
        " zen-antique solway hahmlet gloock bona-nova brygada-1918 castoro alike"
        " alike-angular almendra amethysta cantata-one copse elsie fauna-one gabriela"
        " inria-serif jomolhari kaisei-tokumin laila libertinus-serif mirza sedan"
        " shippori-mincho-b1 suez-one young-serif stint-ultra-expanded kelly-slab"
        " iosevka-etoile andada-pro averia-serif-libre averia-libre eczar fenix gurajada"
        " holtwood-one-sc biorhyme",
    ),
    *_web(
        "train",
        "mono",
        "oxygen-mono fira-code syne-mono chivo-mono sono m-plus-1-code m-plus-code-latin"
        " ubuntu-sans-mono monaspace-argon monaspace-xenon monaspace-radon intel-one-mono"
        " lxgw-wenkai-mono-tc iosevka-curly-slab google-sans-code noto-mono",
    ),
    *_web(
        "train",
        "typewriter",
        "nixie-one",
    ),
    *_web(
        "train",
        "narrow",
        "antonio pathway-gothic-one big-shoulders-text fira-sans-extra-condensed"
        " cabin-condensed pragati-narrow economica voltaire smooch-sans mohave homenaje"
        " gemunu-libre stick-no-bills sofia-sans-extra-condensed yaldevi cuprum ropa-sans"
        " francois-one advent-pro benchnine alumni-sans encode-sans-semi-condensed"
        " stint-ultra-condensed news-cycle anton",
    ),
    *_web(
        "train",
        "dots",
        "redaction-10 redaction-20 redaction-35 micro-5 handjet codystar raleway-dots"
        " sixtyfour workbench silkscreen bitcount bytesized geo",
    ),
    # --- tuning and calibration --------------------------------------------------------------
    *_deb("fonts-crosextra-caladea", "val", "serif", Caladea="Caladea-*.ttf"),
    *_deb("fonts-karla", "val", "sans", Karla="Karla-Regular.otf Karla-Bold.otf Karla-Italic.otf"),
    *_deb(
        "fonts-compagnon", "val", "typewriter", Compagnon="Compagnon-Roman.otf Compagnon-Bold.otf"
    ),
    *_deb("fonts-hermit", "val", "mono", Hermit="Hermit-medium.otf"),
    *_web("val", "sans", "titillium-web noto-sans mukta albert-sans"),
    *_web("val", "serif", "neuton cardo ovo literata"),
    *_web("val", "mono", "overpass-mono spline-sans-mono"),
    *_web("val", "narrow", "archivo-narrow khand"),
    *_web("val", "dots", "jersey-10"),
    # --- kept for benchmarks and the demo ------------------------------------------------------
    *_deb("fonts-paratype", "held", "sans", PT_Sans="PTS55F.ttf PTS75F.ttf PTS56F.ttf"),
    *_deb("fonts-paratype", "held", "serif", PT_Serif="PTF55F.ttf PTF75F.ttf PTF56F.ttf"),
    *_deb("fonts-paratype", "held", "mono", PT_Mono="PTM55F.ttf PTM75F.ttf"),
    *_deb("fonts-paratype", "held", "narrow", PT_Sans_Narrow="PTN57F.ttf PTN77F.ttf"),
    *_deb(
        "fonts-clear-sans", "held", "sans", Clear_Sans="ClearSans-Regular.ttf ClearSans-Bold.ttf"
    ),
    *_web("held", "typewriter", "special-elite cutive-mono"),
    *_web("held", "serif", "gelasio noticia-text domine"),
    *_web("held", "sans", "public-sans libre-franklin hind"),
    *_web("held", "mono", "red-hat-mono share-tech-mono"),
    *_web("held", "narrow", "barlow-condensed"),
    *_web("held", "dots", "dotgothic16"),
)


@dataclass(frozen=True)
class Face:
    """One font file with the characters it can draw and its capital height.

    ``cap_ratio`` is the height of ``H`` over the em size (0 to 1).
    """

    family: str
    kind: Kind
    split: Split
    path: Path
    chars: frozenset[str]
    cap_ratio: float
    bold: bool
    italic: bool


@cache
def load_faces(split: Split) -> tuple[Face, ...]:
    """Return the fetched faces of one split.

    Raises
    ------
    FileNotFoundError
        When the faces were not fetched yet (``python -m synth.fetch`` does it).
    """
    records = json.loads(INDEX_FILE.read_text(encoding="utf-8"))
    return tuple(
        Face(
            family=r["family"],
            kind=r["kind"],
            split=r["split"],
            path=FONT_DIR / r["path"],
            chars=frozenset(r["chars"]),
            cap_ratio=r["cap_ratio"],
            bold=r["bold"],
            italic=r["italic"],
        )
        for r in records
        if r["split"] == split
    )

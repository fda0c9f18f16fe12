"""What two countries call Fernhollow's accounts: numbers and names of their own."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from core.definitions.tables import Overlay, OverlayCode

DUTCH = """
11010 1010 Bank, lopende rekening|11210 1300 Debiteuren|11240 1350 Voorschotten aan telers
11310 3000 Bollen in de grond|11410 1240 Vooruitbetaalde verzekering|12110 0100 Grond|12120 0110 Kassen
12190 0119 Afschrijving kassen|12210 0120 Tabletten en beregening|12290 0129 Afschrijving machines
21110 1600 Crediteuren|21320 1720 Af te dragen loonheffing|22110 0700 Bankleningen
31010 0500 Aandelenkapitaal|31110 0510 Algemene reserve|41110 8000 Tulpenbollen|41120 8010 Narcissenbollen
41130 8020 Sierui|41810 8090 Bollen aan groepsmaatschappijen|51110 7000 Potgrond|51120 7010 Potten en trays
51210 7100 Gas|51220 7110 Elektriciteit|51310 7200 Lonen kwekerij|51320 7210 Seizoenarbeid
61110 4100 Huur|61130 4120 Onderhoud|62110 4000 Salarissen|62120 4010 Pensioenen|63110 4500 Vracht
63130 4510 Veilingkosten|64110 4700 Accountant|64180 4710 Doorbelasting groep|65110 4800 Afschrijving kassen
65120 4810 Afschrijving machines
"""
FRENCH = """
11010 512000 Banque|11210 411000 Clients|11240 409100 Avances aux producteurs|11310 331000 Bulbes en terre
11410 486000 Charges constatées d'avance|11455 486100 Assurance grêle payée d'avance
11815 451810 Créances sur Nurseries|11830 451830 Créances sur Skovlund Trials|11850 451850 Créances sur Hexley
12110 211000 Terrains|12120 213100 Serres|12190 281310 Amortissement des serres
12210 215400 Tablettes et irrigation|12290 281540 Amortissement du matériel
12530 203000 Essais variétaux reportés|12810 261000 Titres de participation
12820 267000 Prêts aux sociétés du groupe|12830 266000 Titres mis en équivalence
21110 401000 Fournisseurs|21320 431000 Sécurité sociale|21440 447000 Taxe de criée à payer
21810 451910 Dettes envers Fernhollow Group|21825 451925 Dettes envers Skovlund Seed
22110 164000 Emprunts bancaires|22810 168000 Emprunts auprès du groupe|31010 101000 Capital
31110 110000 Report à nouveau|41110 701100 Bulbes de tulipes|41120 701200 Bulbes de narcisses
41130 701300 Bulbes d'ail d'ornement|41210 701400 Plantes à massif|41220 701500 Vivaces|41230 701600 Arbustes
41310 701700 Semences potagères|41320 751100 Redevances de semences|41330 751200 Licences variétales
41410 701800 Tulipes coupées|41810 701900 Bulbes au groupe|41820 708500 Frais de gestion refacturés
41830 701910 Semences au groupe|48110 768000 Intérêts du groupe|51110 602100 Terreau
51120 602200 Pots et plateaux|51210 606110 Gaz|51220 606120 Électricité|51310 641100 Salaires de culture
51320 641200 Main-d'oeuvre saisonnière|51430 602300 Engrais|51830 607100 Semences du groupe
51990 658000 Essais abandonnés|61110 613200 Loyers|61130 615200 Réparations|62110 641000 Salaires
62120 645300 Retraites|63110 624100 Transports|63120 602600 Emballages|63130 622200 Frais de criée
64110 622600 Honoraires|64180 628000 Frais de gestion du groupe|65110 681120 Dotations, serres
65120 681130 Dotations, matériel|71180 661800 Intérêts au groupe
"""


def overlays() -> Iterator[Any]:
    for overlay, name, language, numbers in (
        ("nl", "Dutch numbers", "nl", DUTCH),
        ("fr", "French numbers", "fr", FRENCH),
    ):
        yield Overlay(overlay, name, language)
        for entry in numbers.replace("\n", "|").strip("|").split("|"):
            code, local, title = entry.split(" ", 2)
            yield OverlayCode(overlay, "accounts", code, local, title)

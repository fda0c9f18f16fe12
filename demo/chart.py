"""Fernhollow's shared chart: accounts, sites, crop lines, dimensions. All names and figures are invented."""

from __future__ import annotations

ROLLUPS = """
1 Assets|11 Current assets 1|110 Cash and bank 11|112 Trade and other receivables 11|
113 Biological assets 11|114 Prepayments 11|115 Stocks 11|118 Due from group companies 11|
12 Non-current assets 1|121 Glasshouses and land 12|122 Plant and vehicles 12|
125 Plant breeders' rights 12|126 Goodwill 12|128 Shares and loans in the group 12|2 Liabilities|
21 Current liabilities 2|211 Trade payables 21|212 Accruals 21|213 Taxes and social charges 21|
214 Other payables 21|218 Due to group companies 21|22 Non-current liabilities 2|221 Loans and leases 22|
228 Loans from the group 22|3 Equity|31 Share capital and reserves 3|4 Revenue|41 Sales 4|411 Bulbs 41|
412 Young plants 41|413 Seed and royalties 41|414 Cut flowers 41|418 Sales within the group 4|
48 Other income 4|49 Companies held 4|5 Direct costs|51 Cost of growing 5|511 Growing media 51|
512 Heat and light 51|513 Labour 51|514 Crop care 51|518 Purchases within the group 5|6 Overheads|
61 Sites 6|62 People 6|63 Selling and distribution 6|64 Group office 6|65 Depreciation 6|
7 Finance and tax|71 Finance 7|72 Tax 7|73 Shares of others 7|9 Statistics
"""
"""code, name, the rollup code it stands under"""

ACCOUNTS = """
asset 110: 11010 Current account|11020 Deposit account|11030 Auction clearing account|11040 Petty cash
asset 112: 11210 Trade receivables|11220 Retention held by wholesalers|11230 VAT recoverable
asset 112: 11240 Grower advances
asset- 112: 11290 Allowance for doubtful debts
asset 113: 11310 Bulbs in ground|11320 Mother plants|11330 Cut stems in cold store|11390 Peat stock
asset 114: 11410 Insurance paid ahead|11420 Rent paid ahead|11430 Rebates due|11440 Licences paid ahead
asset 115: 11510 Packaging|11520 Growing media in store|11530 Seed in store|11540 Fuel in tank
asset 118: 11810 Due from Fernhollow Group|11815 Due from Nurseries|11820 Due from Veenbol
asset 118: 11825 Due from Skovlund Seed
asset 118: 11830 Due from Skovlund Trials|11835 Due from Zielnik|11840 Due from Alder|11845 Due from Corran
asset 118: 11850 Due from Hexley|11855 Due from Hoshino|11860 Due from Sahra
asset 121: 12110 Land|12120 Glasshouses|12130 Cold stores
asset- 121: 12190 Glasshouses, depreciation to date
asset 122: 12210 Benches and irrigation|12220 Vehicles|12230 Sorting lines
asset- 122: 12290 Plant and vehicles, depreciation to date
asset 125: 12510 Tulip varieties|12520 Vegetable varieties|12530 Variety trials carried forward
asset- 125: 12590 Plant breeders' rights, written off to date
asset 126: 12610 Goodwill
asset 128: 12810 Shares in group companies|12820 Loans to group companies|12830 Shares in associates
liability 211: 21110 Trade payables|21120 Goods received, not invoiced|21130 Growers' settlements due
liability 212: 21210 Accrued wages|21220 Accrued energy|21230 Other accruals
liability 213: 21310 VAT payable|21320 Payroll taxes|21330 Tax on profits due
liability 214: 21410 Deposits by wholesalers|21420 Holiday pay due|21440 Auction levy payable
liability 218: 21810 Due to Fernhollow Group|21815 Due to Nurseries|21820 Due to Veenbol
liability 218: 21825 Due to Skovlund Seed
liability 218: 21830 Due to Skovlund Trials|21835 Due to Zielnik|21840 Due to Alder|21845 Due to Corran
liability 218: 21850 Due to Hexley|21855 Due to Hoshino|21860 Due to Sahra
liability 221: 22110 Bank loans|22120 Leases of glasshouses
liability 228: 22810 Loans from group companies
equity 31: 31010 Share capital|31020 Share premium|31110 Retained earnings|31120 Hedging reserve
equity 31: 31130 Translation reserve|31210 Minority
revenue 411: 41110 Tulip bulbs|41120 Daffodil bulbs|41130 Allium bulbs
revenue 412: 41210 Bedding plants|41220 Perennials|41230 Shrubs
revenue 413: 41310 Vegetable seed|41320 Seed royalties|41330 Variety licences
revenue 414: 41410 Cut tulips|41420 Cut roses
revenue 418: 41810 Bulbs to group companies|41820 Management fees to group companies
revenue 418: 41830 Seed to group companies
revenue 48: 48010 Rents received|48020 Grants|48110 Interest within the group
revenue 49: 49110 Share of associates|49210 Gain on companies parted with
expense 511: 51110 Growing media used|51120 Pots and trays|51130 Bulbs bought|51140 Seed bought
expense 512: 51210 Gas|51220 Electricity|51230 Water
expense 513: 51310 Growers' wages|51320 Seasonal labour|51330 Social charges
expense 514: 51410 Crop protection|51420 Pollination|51430 Fertiliser
expense 518: 51810 Bulbs from group companies|51830 Seed from group companies
expense 5: 51990 Seed trial write-offs
expense 61: 61110 Rent of sites|61120 Rates|61130 Repairs|61140 Insurance
expense 62: 62110 Salaries|62120 Pensions|62130 Training
expense 63: 63110 Freight|63120 Packaging used|63130 Auction fees|63140 Advertising
expense 64: 64110 Audit|64120 Software|64130 Legal advice|64180 Management fees from the group
expense 65: 65110 Depreciation of glasshouses|65120 Depreciation of plant|65130 Breeders' rights written off
expense 71: 71110 Interest on loans|71120 Bank charges|71130 Exchange differences
expense 71: 71180 Interest within the group
expense 72: 72110 Tax on profits
expense 73: 73110 Minority's share of the result
"""
"""class (with - for a contra account) and rollup: code and name, …"""

STATISTICS = [
    ("91010", "Staff", "heads", False),
    ("91020", "Hours worked", "hours", True),
    ("91030", "Area under glass", "m2", False),
]
"""code, name, unit, whether it adds up over time"""

FORGOTTEN = [
    ("11455", "Hail insurance paid ahead", "asset"),
    ("21450", "Cess and levies payable", "liability"),
]
"""Added in a hurry: they stand under no rollup code and on no statement line."""

SITES = """
000 No site|100 Head office|110 Ledbury glasshouses|120 Ledbury fields|130 Wisbech packing|
140 Spalding cold store|150 Kirton glasshouses|210 Lisse bulb fields|220 Lisse sorting hall|
230 Hillegom cold store|310 Odense seed house|320 Odense laboratory|330 Lolland trial plots|410 Lublin depot|
420 Gdynia cold chain hub
"""
CROPS = """
10 Tulip|11 Daffodil|12 Allium|13 Crocus|14 Hyacinth|20 Bedding|21 Perennials|22 Shrubs|23 Herbs|
30 Tomato seed|31 Carrot seed|32 Cabbage seed|33 Onion seed|40 Cut tulip|41 Cut rose|90 Licences
"""
SEASONS = (
    "SP25 Spring 2025|SU25 Summer 2025|AU25 Autumn 2025|WI25 Winter 2025|WI26 Winter 2026|SP26 Spring"
    " 2026|SU26 Summer 2026|AU26 Autumn 2026"
)
CHANNELS = "AUC Auction|WHO Wholesale|RET Retail|WEB Online"
PROJECTS = "P101 Blight-proof tulip|P104 Low-water tomato|P107 Late carrot|P112 Peat-free plugs"

HEXLEY = """
asset: 1010 Bank|1020 Till floats|1100 Card takings due|1200 Plants for sale|1210 Garden goods for sale|
1300 Rent paid ahead|1455 Rebates due from suppliers|1500 Shop fittings|1590 Shop fittings, depreciation|
1810 Owed by the group
liability: 2000 Creditors|2100 VAT|2200 Wages due|2440 Gift cards outstanding|2810 Owed to the group|
2900 Bank loan
equity: 3000 Capital|3100 Profit brought forward
revenue: 4000 Plant sales|4010 Garden goods sales|4100 Cafe takings
expense: 5000 Plants bought|5010 Garden goods bought|5100 Plants bought from the group|6000 Wages|6100 Rent|
6200 Heat and light|6300 Card fees|6400 Advertising|6500 Depreciation|6600 Group management fee|
6700 Drone survey
"""
CORRAN = """
asset: 1000 Bank and till|1200 Auction debtors|1300 Stems in cold store|1455 Export rebate|1600 Greenhouses|
1810 Owed by group
liability: 2000 Creditors|2440 Cess payable|2810 Owed to group
equity: 3000 Capital|3100 Reserves
revenue: 4000 Rose stems|4010 Carnation stems|4100 Seed royalties
expense: 5000 Farm wages|5100 Fertiliser|5200 Cold chain|5410 Boiler repair|6000 Office|6210 Drone survey
"""
ALDER = """
asset: 100 Bank|120 Licence fees due|180 Owed by group
liability: 200 Creditors|280 Owed to group
equity: 300 Capital|310 Reserves
revenue: 400 Licence income
expense: 500 Trial costs|600 Office
"""


def pairs(text: str) -> list[tuple[str, str]]:
    """(code, name) of a list written as `code name|code name`."""
    parts = (part.strip().partition(" ") for part in text.replace("\n", "").split("|"))
    return [(code, name) for code, _, name in parts if code]


def rollups() -> list[tuple[str, str, str]]:
    """(code, name, parent)"""
    rows = []
    for code, name in pairs(ROLLUPS):
        words = name.split(" ")
        parent = words.pop() if words[-1].isdigit() else ""
        rows.append((code, " ".join(words), parent))
    return rows


def accounts() -> list[tuple[str, str, str, bool, str]]:
    """(code, name, class, contra, rollup)"""
    rows = []
    for line in ACCOUNTS.strip().splitlines():
        row, rest = line.split(": ", 1)
        kind, rollup = row.split(" ")
        rows += [(code, name, kind.rstrip("-"), kind.endswith("-"), rollup) for code, name in pairs(rest)]
    return rows


def own_chart(text: str) -> list[tuple[str, str, str]]:
    """(code, name, class) of a chart of a company's own"""
    rows = []
    for line in text.replace("|\n", "|").strip().splitlines():
        kind, rest = line.split(": ", 1)
        rows += [(code, name, kind) for code, name in pairs(rest)]
    return rows

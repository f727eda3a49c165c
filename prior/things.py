"""What papers of the school say: things with a data type, the names that plans and forms give them, and the ways that
sentences say them. Names and phrases of a thing have few words in common, as on papers of different offices."""

from __future__ import annotations

from dataclasses import dataclass

from jugum.core.values import DataType

D = DataType


@dataclass(frozen=True)
class Thing:
    """A thing that a paper may say. `names` are what plans and captions call it, `phrases` sentences' ways, with {} for
    the value. `when` is how many days from the paper's date a date lies, `size` what share of the paper's sum an
    amount is, each as a range."""

    data_type: DataType
    names: tuple[str, ...]
    phrases: tuple[str, ...]
    when: tuple[int, int] = (-5, 5)
    size: tuple[float, float] = (0.05, 1.0)


def _thing(
    data_type: DataType,
    names: str,
    phrases: str,
    when: tuple[int, int] = (-5, 5),
    size: tuple[float, float] = (0.05, 1.0),
) -> Thing:
    return Thing(data_type, tuple(names.split("|")), tuple(phrases.split("|")), when, size)


_IDENTIFIERS = {
    "invoice number": (
        "Invoice no|Invoice number|Bill|Inv. ref|Our number|Document no|Statement number|Quote when paying",
        "this bill bears the number {}|please quote {} when you pay|our invoice {}|booked with us under {}",
    ),
    "order number": (
        "Order no|Your order|Order reference|PO|Purchase order|Ordered under|Commission",
        "you ordered this under {}|in answer to your order {}|the order kept as {}",
    ),
    "customer number": (
        "Customer no|Client id|Account|Your number|Customer|Known to us as|Debtor",
        "in our books you are {}|your account {} with us|we keep your file as {}",
    ),
    "policy number": (
        "Policy no|Policy|Insurance number|Certificate of cover|Cover note|Contract of insurance",
        "the policy {} protects you|your cover runs under {}|insured by certificate {}",
    ),
    "meter number": (
        "Meter|Meter no|Metering point|Device number|Counter no",
        "the meter {} in your cellar|read from device {}",
    ),
    "serial number": (
        "Serial no|S/N|Machine number|Device|Unit no|Stamped on the frame|Maker's number",
        "the machine with {} on its plate|stamped {} by its maker|unit {} of the series",
    ),
    "member number": (
        "Member no|Membership|Card|Member|Roll of members|Badge",
        "you are on our roll as {}|your card says {}|as member {} of the club",
    ),
    "loan number": (
        "Loan no|Loan account|Credit reference|Facility|Advance no",
        "the loan {} granted to you|lent under {}|the credit kept as {}",
    ),
    "booking code": (
        "Booking|Reservation code|Locator|Confirmation|Seat code",
        "your booking {} is firm|tell them {} at the door",
    ),
    "case number": (
        "Case no|File|Our ref|Matter|Docket|Reference|Journal entry",
        "filed as {}|in the matter {}|our sign for it is {}|answer us under {}",
    ),
    "vehicle plate": ("Plate|Registration|Number plate|Vehicle no", "the car with plate {}|a lorry registered {}"),
    "bank account": (
        "Account no|IBAN|Pay to account|Bank details|Giro|Into account",
        "pay it into {}|our bank keeps account {}|send the money to {}",
    ),
    "batch": ("Batch|Charge|Melt|Production lot|Series", "made in batch {}|from the series {}"),
    "room": ("Room|Berth|Stand|Locker|Plot", "come to room {}|your place is {}"),
}
_DATES = {
    "invoice date": (
        "Invoice date|Date|Issued|Dated|Date of bill|Made out on|Of",
        "made out on {}|this paper is of {}|written {}",
        (0, 0),
    ),
    "due date": (
        "Due date|Pay by|Payable until|Payment due|To be settled by|Latest payment|Falls due",
        "must reach us before {}|kindly settle it by {}|is to be paid no later than {}",
        (10, 60),
    ),
    "delivery date": (
        "Delivery date|Delivered|Shipped on|Goods out|Arrival|Brought to you",
        "the goods left us on {}|was brought to your door on {}|arrives {}",
        (-20, 20),
    ),
    "valid from": (
        "Valid from|Cover begins|Starts|Effective|In force from|Beginning|First day",
        "takes effect on {}|runs from {}|holds as of {}|begins with {}",
        (1, 40),
    ),
    "valid to": (
        "Valid to|Expires|Cover ends|Ends|Until|Last day|Good through",
        "ends on {}|up to and including {}|lapses with {}|remains in force till {}",
        (200, 1500),
    ),
    "test date": (
        "Date of test|Tested on|Sampled|Examined|Seen on",
        "was examined on {}|we drew the sample on {}|looked at it {}",
        (-30, -1),
    ),
    "next test": (
        "Next test|Due again|Next visit|Test again by|Renew by",
        "must be looked at again by {}|the next visit is on {}",
        (150, 800),
    ),
    "birth date": (
        "Born|Date of birth|Birthday|Birth|Born on",
        "born on {}|who came into the world on {}|whose birthday is {}",
        (-28000, -7000),
    ),
    "joined": (
        "Joined|Member since|Entry|Admitted|With us since",
        "with us since {}|was admitted on {}",
        (-4000, -300),
    ),
    "order date": ("Ordered on|Order date|Your order of|Placed", "you ordered it on {}|your letter of {}", (-60, -6)),
    "period from": (
        "Period from|From|Billing from|Read first on|Start of period",
        "for the time from {}|counted since {}",
        (-95, -31),
    ),
    "period to": ("Period to|To|Billing to|Read last on|End of period", "up to {}|closed on {}", (-30, -6)),
    "signed on": (
        "Signed on|Day of signature|Signed|Done on",
        "signed by both on {}|done and read out on {}|given under our hand {}",
        (-3, 3),
    ),
    "paid on": (
        "Paid on|Value date|Credited|Received on|Booked",
        "we received your money on {}|was credited on {}",
        (-15, 10),
    ),
}
_AMOUNTS = {
    "total": (
        "Total|Amount due|To pay|Grand total|Balance|Sum payable|All together|You owe",
        "comes to {} in all|leaves {} for you to pay|you owe us {}|a sum of {} altogether",
        (1.0, 1.0),
    ),
    "net": (
        "Net|Subtotal|Goods value|Before tax|Net amount|Without duty",
        "the goods alone are worth {}|{} before any duty",
        (0.75, 0.95),
    ),
    "sales tax": (
        "VAT|Tax|Sales tax|Duty|Tax at 20 %|Due to the state",
        "of which {} goes to the treasury|duty takes {}",
        (0.05, 0.25),
    ),
    "freight": (
        "Freight|Carriage|Postage|Shipping|Delivery charge|For the journey",
        "carrying it costs {}|we add {} for the road",
        (0.01, 0.1),
    ),
    "premium": (
        "Premium|Yearly premium|Contribution|Price of cover|You pay each year",
        "being insured costs {} a year|you give {} for it",
        (0.2, 1.0),
    ),
    "deposit": (
        "Deposit|Paid on account|Advance|Already paid|Earnest money|Put down",
        "you have put down {}|{} was given in advance|holds {} as security",
        (0.05, 0.4),
    ),
    "old balance": (
        "Old balance|Brought forward|Previous balance|Opening balance|From last time",
        "last time {} was left open|began with {}",
        (0.2, 2.0),
    ),
    "new balance": (
        "New balance|Closing balance|Carried forward|Balance now|At the end",
        "stands at {} now|closes with {}",
        (0.2, 2.0),
    ),
    "loan sum": (
        "Sum lent|Principal|Loan amount|Credit|Advance granted",
        "lends {}|puts {} at the borrower's disposal|a loan of {}",
        (2.0, 9.0),
    ),
    "instalment": (
        "Instalment|Monthly rate|Each payment|Repaid per month",
        "pays back {} each month|in portions of {}",
        (0.05, 0.3),
    ),
    "penalty": (
        "Late fee|Penalty|Reminder charge|Default charge",
        "being late costs {}|forfeits {} for each day of delay",
        (0.01, 0.06),
    ),
    "rent": ("Rent|Hire charge|Fee per week|Price of hire", "for the use of it {} is due|hires it for {}", (0.3, 1.0)),
    "discount": ("Discount|Rebate|Less|Reduction|Taken off", "we let you off {}|lowered by {}", (0.02, 0.2)),
    "insured sum": (
        "Insured sum|Cover up to|Limit|Sum assured",
        "we pay up to {}|covers losses of at most {}",
        (5.0, 40.0),
    ),
    "fee": (
        "Fee|Charge|Handling|Service charge|Administration",
        "for our trouble {} is charged|plus {} for the work",
        (0.02, 0.15),
    ),
    "gift": ("Donation|Gift|Given|Contribution received", "you gave us {}|a gift of {}", (0.1, 1.0)),
}
_NAMES = {
    "customer": (
        "Customer|Bill to|Buyer|For|Sold to|Recipient|Ordered by",
        "sold to {}|made for {}|{}, who ordered it",
    ),
    "seller": (
        "Seller|Supplier|From|Vendor|Issued by|Sold by|Our house",
        "{} sells|bought from {}|{} thanks you|from the house of {}",
    ),
    "patient": (
        "Patient|Name of patient|Person examined|Name|Examined",
        "we saw {} in our rooms|{} came to us|reports on {}",
    ),
    "doctor": ("Doctor|Physician|Referred by|Examiner|Attending", "sent to us by {}|examined by {}|yours, {}"),
    "driver": ("Driver|Carrier|Driven by|Haulier|At the wheel", "{} drives|carried by {}"),
    "insured": (
        "Insured|Policy holder|Insured person|Holder|Protected",
        "{} is protected|we insure {}|on the life of {}",
    ),
    "lender": ("Lender|Creditor|Bank|Lent by|Giver of the loan", "{}, who lends|{}, the lender|borrowed from {}"),
    "borrower": ("Borrower|Debtor|Lent to|Taker of the loan|Obligor", "{}, who borrows|{}, the borrower|is lent to {}"),
    "guarantor": (
        "Guarantor|Surety|Stands in for it|Secured by",
        "{} stands surety|answers for it: {}|vouched for by {}",
    ),
    "owner": ("Owner|Landlord|Let by|Proprietor|Belongs to", "{} owns it|the property of {}|{}, to whom it belongs"),
    "tenant": ("Tenant|Hirer|Let to|User|Occupant", "{} takes it on hire|let to {}|{}, who will use it"),
    "member": ("Member|Name of member|Enrolled|This card belongs to", "{} is one of us|we welcome {}"),
    "witness": ("Witness|In presence of|Seen by|Attested by", "in the presence of {}|{} saw it done|witnessed by {}"),
    "contact": (
        "Contact|Your partner|Ask for|Handled by|Clerk|Looks after you",
        "{} will help you|ask for {}|your partner here is {}",
    ),
    "chair": ("Chair|In the chair|President|Led by", "{} led the meeting|with {} in the chair"),
    "keeper": ("Keeper|Custodian|Kept by|In the hands of|Warden", "{} keeps it|left with {}"),
}
_TEXTS = {
    "city": ("City|Town|Place|Port|Location|Seat", "in the town of {}|at {}|is found in {}"),
    "goods": ("Goods|Article|Contents|Description|Product|Subject of sale", "we sent you {}|concerns {}|for {}"),
    "terms": ("Terms|Payment terms|Conditions|Mode of payment", "on the terms {}|payable {}"),
    "vessel": ("Vessel|Ship|Lorry|Vehicle|Means of transport", "goes by {}|loaded on the {}"),
    "reason": ("Reason|Purpose|Subject|Concerning|About", "because of {}|on account of {}"),
    "condition": ("Condition|State|Found|Wear", "was found {}|is in a state we call {}"),
    "colour": ("Colour|Paint|Shade|Finish", "painted {}|of {} colour"),
    "address": ("Address|Where|Residence|To be found at|Street", "is to be found at {}|in the house {}|lives at {}"),
    "country": ("Country|State|Land|Home state", "comes from {}|under the flag of {}|a child of {}"),
    "office": ("Office|Branch|Department|Chamber|Issued at", "given by the {}|the {} has it|handled in the {}"),
}
_NUMBERS = {
    "quantity": (
        "Quantity|Qty|Pieces|Number of units|Packages|How many",
        "{} pieces in all|there are {} of them|counted {}",
    ),
    "weight": ("Weight|Gross weight|Mass|Weight in kg|On the scale", "weighs {} kg|{} kilograms on our scale"),
    "usage": ("Usage|Consumption|Used|kWh|Units used|Drawn", "you used {} units|{} kWh were drawn"),
    "reading": ("Reading|Meter reading|Counter|Reading now|On the dial", "the dial says {}|read as {}"),
    "age": ("Age|Years old|Age in years", "{} years of age|aged {}"),
    "guests": ("Guests|Persons|Places|Heads", "for {} persons|a table for {}"),
    "days": ("Days|Days to pay|Within days|Payment term in days", "within {} days|leaves you {} days"),
    "distance": ("Distance|Kilometres|Mileage|Run so far", "has run {} km|after {} kilometres"),
}
_SHARES = {
    "rate": ("Rate|Interest|Discount|Rate of interest|Per year", "bears interest at {}|costs {} a year"),
    "share": ("Share|Part|Quota|Stake", "owns {} of it|a part of {}"),
    "humidity": ("Humidity|Moisture|Water content", "holds {} of water|a moisture of {}"),
}
_SPANS = {
    "guarantee": ("Guarantee|Warranted for|Guarantee period", "we answer for it during {}|good for {}"),
    "notice period": (
        "Notice|Period of notice|Give up with",
        "either may leave it with {} to go|ended by telling the other {} before",
    ),
    "term": ("Term|Duration|Runs for|Length", "is agreed for {}|lasts {}"),
}

THINGS: dict[str, Thing] = {
    **{key: _thing(D.IDENTIFIER, *its) for key, its in _IDENTIFIERS.items()},
    **{key: _thing(D.DATE, names, phrases, when=when) for key, (names, phrases, when) in _DATES.items()},
    **{key: _thing(D.MONEY, names, phrases, size=size) for key, (names, phrases, size) in _AMOUNTS.items()},
    **{key: _thing(D.NAME, *its) for key, its in _NAMES.items()},
    **{key: _thing(D.TEXT, *its) for key, its in {**_TEXTS, **_SPANS}.items()},
    **{key: _thing(D.NUMBER, *its) for key, its in _NUMBERS.items()},
    **{key: _thing(D.PERCENT, *its) for key, its in _SHARES.items()},
}
SPANS = frozenset(_SPANS)  # texts that are a number and a unit of time
# What texts say that are not names of places.
WORDED: dict[str, list[str]] = {
    thing: said.split("|")
    for thing, said in {
        "goods": "Copper wire|Oak boards|Rye flour|Garden chairs|Window glass|Hand pumps|Wool blankets|Candle wax|Roof "
        "tiles|Writing paper|Seed potatoes|Bicycle frames|Printing ink|Iron nails|Paint brushes|Table lamps|Rubber "
        "boots|Olive oil|Cotton thread|Fire hoses|Salt herring|Brass taps|Work gloves|Honey in jars",
        "terms": "30 days net|cash on delivery|at sight|14 days, 2 % off|in advance|half now, half later|by monthly "
        "account|against documents|within the week|on receipt of goods",
        "vessel": "MS Aurora|SS Petrel|Lorry 14|Barge Clara|MV North Wind|Tug Otto|Waggon 7|Ferry Linda|Van 3|Sloop "
        "Marie|Coach 21|Tender Ida",
        "reason": "Storm damage|Yearly inspection|Change of owner|Broken lock|New connection|Loss of key|Wrong "
        "delivery|Water in the cellar|Move to another flat|End of season|Request of the heirs|Noise at night",
        "condition": "good|fair|worn|as new|slightly dented|out of order|clean|rusty|usable|damp|complete|scratched",
        "colour": "red|dark green|sky blue|ivory|black|pale yellow|grey|brown|white|silver|orange|violet",
        "country": "Norland|Sudria|Valia|Ostania|Merinia|Kastria|Belland|Tavonia|Ruvia|Galdia",
        "office": "Chamber of Trade|Harbour Office|Land Registry|District Court|Savings Office|Office for Roads|Board "
        "of Works|Town Hall|Central Branch|Department of Claims|Patent Bureau|Ministry of Mines",
    }.items()
}

TITLES = (
    "Statement|Confirmation|Notice|Certificate|Account of goods|Letter of cover|Delivery note|Report|Receipt|Agreement|"
    "Loan paper|Hire note|Reminder|Record of visit|Membership|Final account|Advice of dispatch|Declaration|"
    "Minutes of meeting|Booking|Guarantee card|Inspection record|Protocol|Offer"
).split("|")
# Sentences that say nothing of the things above; {d} a date, {n} a number, {p} a name, {m} an amount.
IDLE = (
    "Our office is open from {n} to {n} on working days.|The general terms of {d} apply to all that is not said here.|"
    "Questions are answered by {p} in room {n}.|Please keep this paper for {n} years.|Prices were last changed on {d}.|"
    "This was written by a machine and is valid without signature.|A copy went to {p}.|The smallest order is {m}.|"
    "Complaints are heard within {n} days.|We thank you for your trust in our house.|Form {n}, edition of {d}.|"
    "Nothing else was agreed, neither in writing nor by word of mouth.|The rules of the trade of {d} hold besides.|"
    "In winter the lower gate is shut after {n}.|Our founder {p} began with {m} in a cellar.|Page {n} of {n}"
).split("|")

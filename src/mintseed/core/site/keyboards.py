"""The keyboard layouts there are, as systems name them. Source: xkeyboard-config, rules/base.lst, section layout."""

from __future__ import annotations

KEYBOARDS: dict[str, str] = {
    "al": "Albanian",
    "et": "Amharic",
    "ara": "Arabic",
    "ma": "Arabic (Morocco)",
    "sy": "Arabic (Syria)",
    "am": "Armenian",
    "az": "Azerbaijani",
    "ml": "Bambara",
    "bd": "Bangla",
    "by": "Belarusian",
    "be": "Belgian",
    "dz": "Berber (Algeria, Latin)",
    "ba": "Bosnian",
    "brai": "Braille",
    "bg": "Bulgarian",
    "mm": "Burmese",
    "cn": "Chinese",
    "hr": "Croatian",
    "cz": "Czech",
    "dk": "Danish",
    "af": "Dari",
    "mv": "Dhivehi",
    "nl": "Dutch",
    "bt": "Dzongkha",
    "au": "English (Australian)",
    "cm": "English (Cameroon)",
    "gh": "English (Ghana)",
    "ng": "English (Nigeria)",
    "za": "English (South Africa)",
    "gb": "English (UK)",
    "us": "English (US)",
    "epo": "Esperanto",
    "ee": "Estonian",
    "fo": "Faroese",
    "ph": "Filipino",
    "fi": "Finnish",
    "fr": "French",
    "ca": "French (Canada)",
    "cd": "French (Democratic Republic of the Congo)",
    "tg": "French (Togo)",
    "ge": "Georgian",
    "de": "German",
    "at": "German (Austria)",
    "ch": "German (Switzerland)",
    "gr": "Greek",
    "il": "Hebrew",
    "hu": "Hungarian",
    "is": "Icelandic",
    "in": "Indian",
    "jv": "Indonesian (Javanese)",
    "id": "Indonesian (Latin)",
    "iq": "Iraqi",
    "ie": "Irish",
    "it": "Italian",
    "jp": "Japanese",
    "kz": "Kazakh",
    "kh": "Khmer (Cambodia)",
    "kr": "Korean",
    "kg": "Kyrgyz",
    "la": "Lao",
    "lv": "Latvian",
    "lt": "Lithuanian",
    "mk": "Macedonian",
    "my": "Malay (Jawi, Arabic Keyboard)",
    "mt": "Maltese",
    "mao": "Maori",
    "md": "Moldavian",
    "mn": "Mongolian",
    "me": "Montenegrin",
    "gn": "N'Ko (AZERTY)",
    "np": "Nepali",
    "no": "Norwegian",
    "ir": "Persian",
    "pl": "Polish",
    "pt": "Portuguese",
    "br": "Portuguese (Brazil)",
    "ro": "Romanian",
    "ru": "Russian",
    "rs": "Serbian",
    "lk": "Sinhala (phonetic)",
    "sk": "Slovak",
    "si": "Slovenian",
    "es": "Spanish",
    "latam": "Spanish (Latin American)",
    "ke": "Swahili (Kenya)",
    "tz": "Swahili (Tanzania)",
    "se": "Swedish",
    "tw": "Taiwanese",
    "tj": "Tajik",
    "th": "Thai",
    "bw": "Tswana",
    "tr": "Turkish",
    "tm": "Turkmen",
    "ua": "Ukrainian",
    "pk": "Urdu (Pakistan)",
    "uz": "Uzbek",
    "vn": "Vietnamese",
    "sn": "Wolof",
}
"""Layout code → what it is called."""

MISTAKEN = {"uk": "gb", "en": "us", "da": "dk", "sv": "se", "cs": "cz", "ja": "jp", "ko": "kr", "el": "gr", "slo": "si"}
"""Codes of languages and of other lists that people write, and the layout they mean (common practice)."""


_COUNTRIES = """
af:AF al:AL am:AL ara:AE,BH,DZ,EG,EH,JO,KW,LB,LY,MA,MR,OM,PS,QA,SA,SD,SY,TN,YE at:AT au:AU az:AZ ba:BA bd:BD be:BE bg:BG br:BR bt:BT bw:BW
by:BY ca:CA cd:CD ch:CH cm:CM cn:CN cz:CZ de:DE dk:DK dz:DZ ee:EE es:ES et:ET fi:FI fo:FO fr:FR gb:GB ge:GE gh:GH gn:GN gr:GR hr:HR hu:HU
id:ID ie:IE il:IL in:IN iq:IQ ir:IR is:IS it:IT jp:JP jv:ID ke:KE kg:KG kh:KH kr:KR kz:KZ la:LA
latam:AR,BO,CL,CO,CR,CU,DO,EC,GT,HN,HT,MX,NI,PA,PE,PR,PY,SV,US,UY,VE lk:LK lt:LT lv:LV ma:MA mao:NZ md:MD me:ME mk:MK ml:ML mm:MM mn:MN
mt:MT mv:MV my:MY ng:NG nl:NL no:NO np:NP ph:PH pk:PK pl:PL pt:PT ro:RO rs:RS ru:RU se:SE si:SI sk:SK sn:SN sy:SY tg:TG th:TH tj:TJ tm:TM
tr:TR tw:TW tz:TZ ua:UA us:US uz:UZ vn:VN za:ZA
"""
"""layout and the countries it is for. Source: xkeyboard-config, rules/evdev.xml, countryList; a test compares it"""


def countries_of_layouts() -> dict[str, tuple[str, ...]]:
    """Return the countries each layout is for, where the database names any."""
    return {
        layout: tuple(codes.split(",")) for layout, _, codes in (word.partition(":") for word in _COUNTRIES.split())
    }


def keyboards_of(country: str) -> tuple[str, ...]:
    """Return the layouts of a country, the one that is called like it first; nothing for what is none."""
    found = [layout for layout, codes in countries_of_layouts().items() if country in codes]
    return tuple(sorted(found, key=lambda layout: (layout != country.lower(), layout)))

"""The languages a system can be set to, as locales, and those of a country. Sources: glibc 2.36, localedata/SUPPORTED; CLDR by babel."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache

from babel import Locale, UnknownLocaleError
from babel.languages import get_official_languages

from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.visible import one_line

NEUTRAL = "C.UTF-8"
"""no language of anybody's: English words, letters of all"""

_LISTED = """
    aa_DJ aa_ER aa_ER@saaho aa_ET af_ZA agr_PE ak_GH am_ET an_ES anp_IN ar_AE ar_BH ar_DZ ar_EG ar_IN ar_IQ ar_JO ar_KW ar_LB ar_LY ar_MA
    ar_OM ar_QA ar_SA ar_SD ar_SS ar_SY ar_TN ar_YE as_IN ast_ES ayc_PE az_AZ az_IR be_BY be_BY@latin bem_ZM ber_DZ ber_MA bg_BG bhb_IN
    bho_IN bho_NP bi_VU bn_BD bn_IN bo_CN bo_IN br_FR brx_IN bs_BA byn_ER ca_AD ca_ES ca_ES@valencia ca_FR ca_IT ce_RU chr_US ckb_IQ cmn_TW
    crh_UA cs_CZ csb_PL cv_RU cy_GB da_DK de_AT de_BE de_CH de_DE de_IT de_LI de_LU doi_IN dsb_DE dv_MV dz_BT el_CY el_GR en_AG en_AU en_BW
    en_CA en_DK en_GB en_HK en_IE en_IL en_IN en_NG en_NZ en_PH en_SC en_SG en_US en_ZA en_ZM en_ZW eo es_AR es_BO es_CL es_CO es_CR es_CU
    es_DO es_EC es_ES es_GT es_HN es_MX es_NI es_PA es_PE es_PR es_PY es_SV es_US es_UY es_VE et_EE eu_ES eu_FR fa_IR ff_SN fi_FI fil_PH
    fo_FO fr_BE fr_CA fr_CH fr_FR fr_LU fur_IT fy_DE fy_NL ga_IE gd_GB gez_ER gez_ER@abegede gez_ET gez_ET@abegede gl_ES gu_IN gv_GB ha_NG
    hak_TW he_IL hi_IN hif_FJ hne_IN hr_HR hsb_DE ht_HT hu_HU hy_AM ia_FR id_ID ig_NG ik_CA is_IS it_CH it_IT iu_CA ja_JP ka_GE kab_DZ kk_KZ
    kl_GL km_KH kn_IN ko_KR kok_IN ks_IN ks_IN@devanagari ku_TR kw_GB ky_KG lb_LU lg_UG li_BE li_NL lij_IT ln_CD lo_LA lt_LT lv_LV lzh_TW
    mag_IN mai_IN mai_NP mfe_MU mg_MG mhr_RU mi_NZ miq_NI mjw_IN mk_MK ml_IN mn_MN mni_IN mnw_MM mr_IN ms_MY mt_MT my_MM nan_TW nan_TW@latin
    nb_NO nds_DE nds_NL ne_NP nhn_MX niu_NU niu_NZ nl_AW nl_BE nl_NL nn_NO nr_ZA nso_ZA oc_FR om_ET om_KE or_IN os_RU pa_IN pa_PK pap_AW
    pap_CW pl_PL ps_AF pt_BR pt_PT quz_PE raj_IN rif_MA ro_RO ru_RU ru_UA rw_RW sa_IN sah_RU sat_IN sc_IT sd_IN sd_IN@devanagari se_NO
    sgs_LT shn_MM shs_CA si_LK sid_ET sk_SK sl_SI sm_WS so_DJ so_ET so_KE so_SO sq_AL sq_MK sr_ME sr_RS sr_RS@latin ss_ZA st_ZA sv_FI sv_SE
    sw_KE sw_TZ syr szl_PL ta_IN ta_LK tcy_IN te_IN tg_TJ th_TH the_NP ti_ER ti_ET tig_ER tk_TM tl_PH tn_ZA to_TO tpi_PG tr_CY tr_TR ts_ZA
    tt_RU tt_RU@iqtelif ug_CN uk_UA unm_US ur_IN ur_PK uz_UZ uz_UZ@cyrillic ve_ZA vi_VN wa_BE wae_CH wal_ET wo_SN xh_ZA yi_US yo_NG yue_HK
    yuw_PG zh_CN zh_HK zh_SG zh_TW zu_ZA
"""
"""blanks between"""

_SHAPE = re.compile(r"(?:C|POSIX|[a-z]{2,3}(?:_[A-Z]{2})?)(?:\.[A-Za-z0-9-]{1,16})?(?:@[a-z]{1,16})?")
"""language_COUNTRY.charset@modifier (locale(7), setlocale(3))"""

LOCALE_MOST = 40
"""characters a locale's name may have here"""


@cache
def languages() -> dict[str, str]:
    """Return every locale there is in UTF-8, and what it is called in English, by name."""
    named = {_locale(name): _called(name) for name in _LISTED.split()}
    return {NEUTRAL: "no language (C)", **dict(sorted(named.items(), key=lambda pair: pair[1]))}


@cache
def _known() -> frozenset[str]:
    """The names alone: what they are called takes a while to work out, and is asked for by a list and nobody else."""
    return frozenset({NEUTRAL, *map(_locale, _LISTED.split())})


def _locale(name: str) -> str:
    return name if "@" in name else f"{name}.UTF-8"


_SCRIPTS = {"latin": "Latn", "cyrillic": "Cyrl", "devanagari": "Deva"}
"""what glibc calls a script, and its code (ISO 15924)"""


def _called(name: str) -> str:
    plain, _, kind = name.partition("@")
    language, _, country = plain.partition("_")
    try:
        words = (
            Locale.parse(f"{language}_{_SCRIPTS[kind]}_{country}" if kind in _SCRIPTS else plain).get_display_name("en")
            or name
        )
    except (UnknownLocaleError, ValueError):
        return name
    return words if kind in words.lower() else f"{words}, {kind}"


def languages_of(country: str) -> tuple[str, ...]:
    """Return the locales of a country's own languages, the most spoken first; nothing where none is known."""
    official = (
        *get_official_languages(country, de_facto=True),
        *get_official_languages(country, regional=True, de_facto=True),
    )
    wanted = dict.fromkeys(f"{language.split('_')[0]}_{country}.UTF-8" for language in official)
    return tuple(name for name in wanted if name in _known())


def same_locale(one: str, other: str) -> bool:
    """Return whether two names mean the same locale: en_GB.utf8 is en_GB.UTF-8 (locale(1), normalized codesets)."""
    return _normal(one) == _normal(other)


def _normal(name: str) -> str:
    head, dot, charset = name.partition(".")
    return head + dot + re.sub(r"[^a-z0-9@]", "", charset.lower())


def check_locale(locale: str) -> Iterator[Finding]:
    """Yield why `locale` is no language of a system, or may not be one; nothing for none: the image keeps its own."""
    where = Where(field="locale")
    if not locale or locale in _known():
        return
    if not _SHAPE.fullmatch(locale):
        yield Finding("settings.locale-shape", Severity.STOP, f"“{one_line(locale)}” cannot be a system's language",
                      "Expected one such as en_GB.UTF-8.", "Pick one of the list.", where, "locale(7)")  # fmt: skip
    else:
        yield Finding("settings.locale-unknown", Severity.CHECK, f"No language of the list is called {locale}",
                      "The image may know it; where it does not, its programs speak English.", "Pick one of the list, such as en_GB.UTF-8.",
                      where, "glibc 2.36, localedata/SUPPORTED")  # fmt: skip

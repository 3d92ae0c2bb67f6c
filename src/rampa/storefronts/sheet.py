"""The hand-over sheet: what a person does to put a build before a storefront that Rampa cannot speak to."""

from __future__ import annotations

from rampa.schema import storefronts as wire


def sheet_for(storefront: str, asked: wire.SubmissionIn) -> str:
    """Markdown. Everything that a form may ask for is in it, to be copied."""
    listing = asked.listing
    lines = [
        f"# Hand over to {storefront}: {asked.identifier} {asked.version_name} for {asked.platform}",
        "",
        "1. Sign in to the storefront with the studio's account.",
        f"2. Open the title `{asked.identifier}`, and begin a new version.",
        f"3. Upload `bundle`. Version code {asked.version_code}, SHA-256 `{asked.sha256}`.",
        "4. Fill in what stands below, language by language.",
        "5. Put it before the reviewers.",
        '6. Write what became of it into `outcome.toml`, as often as it changes: state = "waiting", then "refused" with',
        '   said = "their words", or "passed", "live" (with share = 10 for a part).',
        "",
        f"Category: {listing.category}. Licence: {listing.licence}.",
        f"Age rating: {listing.rating}, after the answers of {listing.rated_by}.",
        *(f"{name.capitalize()} link: {address}" for name, address in listing.links.items()),
        "",
    ]
    if asked.permissions:
        lines += ["## Permissions, with the reason that players read", ""]
        lines += [f"- {name}: {reason or '(none said)'}" for name, reason in asked.permissions.items()] + [""]
    if asked.notes:
        lines += ["## For the reviewers", "", asked.notes, ""]
    for language, texts in listing.texts.items():
        main = ", the main language" if language == listing.main else ""
        lines += [f"## Texts: {language}{main}", "", f"Name: {texts.name}", f"Short: {texts.short}", "", texts.long, ""]
    lines += ["## Pictures", "", f"Icon: `pictures/{listing.icon}`" if listing.icon else "No icon."]
    for form, digests in listing.pictures.items():
        lines += [f"{form}: {', '.join(f'`pictures/{d}`' for d in digests)}"]
    return "\n".join(lines) + "\n"

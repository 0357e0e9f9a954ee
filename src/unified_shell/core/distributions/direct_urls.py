"""What tells that a distribution came from an address, not from an index. Source: PEP 610."""

from unified_shell.core.machine.places import from_json_text, to_json_text

__all__ = ["address_told", "direct_url_text"]


def direct_url_text(address: str, sha256: str) -> str:
    """Return the text of `direct_url.json` for an archive; the hash is the fetched file's."""
    archive = {"hashes": {"sha256": sha256}}
    return to_json_text({"url": address.partition("#")[0], "archive_info": archive}) + "\n"


def address_told(content: bytes) -> str:
    """Return the address of an archive that the file names; empty for a folder's, version control's, or a broken one."""
    try:
        read = from_json_text(content)
    except ValueError:
        return ""
    if not isinstance(read, dict) or "archive_info" not in read:
        return ""
    return str(read.get("url", ""))

"""Settings under which git is run, by service and agent alike: nothing of this machine's own, no questions, no hooks,
no protocol that runs programs (git(1), git-config(1))."""

from __future__ import annotations

import os

PROTOCOLS = "file:git:http:https:ssh"
PLAIN = {
    "GIT_CONFIG_NOSYSTEM": "1",
    "GIT_CONFIG_GLOBAL": os.devnull,
    "GIT_TERMINAL_PROMPT": "0",
    "GIT_ALLOW_PROTOCOL": PROTOCOLS,
    "GIT_OPTIONAL_LOCKS": "0",
    "LC_ALL": "C.UTF-8",
}
SETTINGS = {
    "safe.directory": "*",
    "protocol.file.allow": "always",
    "uploadpack.allowAnySHA1InWant": "true",
    "core.symlinks": "true",
    "core.hooksPath": os.devnull,
    "gc.auto": "0",
    "credential.helper": "",
    # A redirection would take the password, and the service, wherever the other side likes.
    "http.followRedirects": "false",
    # A peer that says nothing for so many seconds has gone.
    "http.lowSpeedLimit": "1",
    "http.lowSpeedTime": "30",
    "advice.detachedHead": "false",
}


def git_environment(around: dict[str, str], more: dict[str, str] | None = None) -> dict[str, str]:
    """`around` without its own git variables, with PLAIN and SETTINGS. `more` are variables that win.

    Settings go through the environment (GIT_CONFIG_COUNT): what is secret in them is unseen in a list of processes.
    """
    kept = {k: v for k, v in around.items() if not k.startswith("GIT_")}
    return {**kept, **PLAIN, **settings_environment(SETTINGS), **(more or {})}


def settings_environment(settings: dict[str, str]) -> dict[str, str]:
    out = {"GIT_CONFIG_COUNT": str(len(settings))}
    for number, (key, value) in enumerate(settings.items()):
        out[f"GIT_CONFIG_KEY_{number}"], out[f"GIT_CONFIG_VALUE_{number}"] = key, value
    return out

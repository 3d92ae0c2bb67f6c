"""Libraries that a platform has by itself, so that a program may name them without bringing them: data, version 1.

Names as programs name them, lower case where the platform folds case; patterns as in fnmatch.
"""

from __future__ import annotations

from fnmatch import fnmatchcase

PROVIDED: dict[str, tuple[str, ...]] = {
    "linux": (
        "ld-linux*.so.*", "libc.so.6", "libm.so.6", "libdl.so.2", "libpthread.so.0", "librt.so.1", "libutil.so.1",
        "libresolv.so.2", "libgcc_s.so.1", "libstdc++.so.6", "libanl.so.1", "libnsl.so.1", "libcrypt.so.1",
        "libGL.so.1", "libEGL.so.1", "libGLX.so.0", "libOpenGL.so.0", "libGLESv2.so.2", "libvulkan.so.1",
        "libX11*.so.*", "libXext.so.6", "libXi.so.6", "libXrandr.so.2", "libXcursor.so.1", "libXss.so.1", "libxcb*.so.*",
        "libwayland-*.so.*", "libxkbcommon*.so.*", "libasound.so.2", "libpulse*.so.*", "libudev.so.1", "libdbus-1.so.3",
        "libdrm.so.2", "libgbm.so.1", "libz.so.1", "linux-vdso.so.1",
    ),
    "windows": (
        "api-ms-win-*.dll", "ext-ms-*.dll", "kernel32.dll", "kernelbase.dll", "ntdll.dll", "user32.dll", "gdi32.dll",
        "advapi32.dll", "shell32.dll", "shlwapi.dll", "ole32.dll", "oleaut32.dll", "comdlg32.dll", "comctl32.dll",
        "ws2_32.dll", "wsock32.dll", "winmm.dll", "version.dll", "imm32.dll", "setupapi.dll", "hid.dll", "dinput8.dll",
        "xinput*.dll", "d3d9.dll", "d3d11.dll", "d3d12.dll", "dxgi.dll", "d3dcompiler_47.dll", "dsound.dll", "opengl32.dll",
        "dwmapi.dll", "uxtheme.dll", "crypt32.dll", "bcrypt.dll", "secur32.dll", "iphlpapi.dll", "psapi.dll", "dbghelp.dll",
        "wininet.dll", "winhttp.dll", "userenv.dll", "powrprof.dll", "avrt.dll", "mf*.dll", "propsys.dll", "cfgmgr32.dll",
        "ucrtbase.dll", "msvcrt.dll", "rpcrt4.dll", "wtsapi32.dll", "mmdevapi.dll", "normaliz.dll", "ncrypt.dll",
    ),
    "macos": ("/usr/lib/*", "/System/Library/*"),
    "ios": ("/usr/lib/*", "/System/Library/*"),
    "android": (
        "libc.so", "libm.so", "libdl.so", "libz.so", "liblog.so", "libandroid.so", "libEGL.so", "libGLESv1_CM.so",
        "libGLESv2.so", "libGLESv3.so", "libOpenSLES.so", "libaaudio.so", "libvulkan.so", "libjnigraphics.so",
        "libmediandk.so", "libcamera2ndk.so", "libnativewindow.so", "libneuralnetworks.so", "libsync.so", "libstdc++.so",
    ),
}  # fmt: skip


def provided(platform: str, name: str, also: tuple[str, ...] = ()) -> bool:
    """Whether the platform has the library; `also` are patterns that a profile adds."""
    folded = name.lower() if platform == "windows" else name
    return any(fnmatchcase(folded, pattern) for pattern in (*PROVIDED.get(platform, ("*",)), *also))

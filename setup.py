"""Builds the kernels where there is a C compiler.

Without one the numpy versions of cutting and of turning calls do the same, and updates travel as whole chunks.
"""

from setuptools import Extension, setup

SCAN = "src/rampa/core/content/scan"
PATCH = "src/rampa/core/content/patch"
PACK = "src/rampa/core/content/pack"

setup(
    ext_modules=[
        Extension(
            "rampa.core.content.scan._cut_kernel",
            [f"{SCAN}/_cut_kernel.pyx", f"{SCAN}/cut.c"],
            depends=[f"{SCAN}/cut.h"],
            extra_compile_args=["-O3"],
            optional=True,
        ),
        Extension(
            "rampa.core.content.pack._code_kernel",
            [f"{PACK}/_code_kernel.pyx"],
            extra_compile_args=["-O3"],
            optional=True,
        ),
        Extension(
            "rampa.core.content.patch._kernel",
            [f"{PATCH}/_kernel.pyx", *(f"{PATCH}/{name}.c" for name in ("match", "predict", "fields", "events"))],
            depends=[f"{PATCH}/{name}.h" for name in ("match", "predict", "fields")],
            extra_compile_args=["-O3"],
            optional=True,
        ),
    ]
)

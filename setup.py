"""Builds the kernels where there is a C compiler.

Without one the numpy version of cutting makes the same cuts, and updates travel as whole chunks.
"""

from setuptools import Extension, setup

CONTENT = "src/rampa/core/content"
DIFFERENCE = f"{CONTENT}/difference"

setup(
    ext_modules=[
        Extension(
            "rampa.core.content._cut_kernel",
            [f"{CONTENT}/_cut_kernel.pyx", f"{CONTENT}/cut.c"],
            depends=[f"{CONTENT}/cut.h"],
            extra_compile_args=["-O3"],
            optional=True,
        ),
        Extension(
            "rampa.core.content.difference._kernel",
            [f"{DIFFERENCE}/_kernel.pyx", *(f"{DIFFERENCE}/{name}.c" for name in ("match", "predict", "fields", "events"))],
            depends=[f"{DIFFERENCE}/{name}.h" for name in ("match", "predict", "fields")],
            extra_compile_args=["-O3"],
            optional=True,
        ),
    ]
)

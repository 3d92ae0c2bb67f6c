"""Builds the kernels where there is a C compiler.

Without one the numpy version of cutting makes the same cuts, and updates travel as whole chunks.
"""

from setuptools import Extension, setup

TREE = "src/rampa/core/content/tree"
PATCH = "src/rampa/core/content/patch"

setup(
    ext_modules=[
        Extension(
            "rampa.core.content.tree._cut_kernel",
            [f"{TREE}/_cut_kernel.pyx", f"{TREE}/cut.c"],
            depends=[f"{TREE}/cut.h"],
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

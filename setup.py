"""Builds the cutting kernel where there is a C compiler; without one the numpy version makes the same cuts."""

from setuptools import Extension, setup

setup(
    ext_modules=[
        Extension(
            "rampa.core.content._cut_kernel",
            ["src/rampa/core/content/_cut_kernel.pyx"],
            extra_compile_args=["-O3"],
            optional=True,
        )
    ]
)

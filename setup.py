"""The parts of the core that are compiled; all else about the package stands in pyproject.toml."""

import os
from pathlib import Path

from Cython.Build import cythonize
from setuptools import Extension, setup

_SOURCES = sorted(Path("nuvett/core").rglob("*.pyx"))
_HEADERS = sorted(str(path) for path in Path("nuvett/core").rglob("*.h"))
# None of these makes a result depend on anything but the place of a pixel; what does, reordering of sums, is left out.
_FLAGS = ["-O3", "-g0", "-fno-math-errno", "-fno-trapping-math", "-ffp-contract=fast"]
# Set where what is compiled runs on this machine alone, as by ./run; a wheel is for any machine of its kind.
_NATIVE = ["-march=native"] if os.environ.get("NUVETT_NATIVE") else []

# What all of them would otherwise hold each: it is most of what there is to compile.
_SHARED = "nuvett.core._views"


def _part(name: str, sources: list[str]) -> Extension:
    return Extension(
        name,
        sources,
        extra_compile_args=[*_FLAGS, *_NATIVE],
        include_dirs=["."],
        depends=_HEADERS,
        extra_link_args=["-s"],
    )


setup(
    ext_modules=cythonize(
        [
            _part(_SHARED, []),
            *(_part(".".join(path.with_suffix("").parts), [str(path)]) for path in _SOURCES),
        ],
        shared_utility_qualified_name=_SHARED,
        build_dir=os.environ.get("NUVETT_BUILD", "build"),
        nthreads=2,
        quiet=True,
    )
)

"""Compile the parts of the core that are written for Cython, beside their sources, for this machine's processor."""

import sys
from pathlib import Path

from Cython.Build import cythonize
from setuptools import Extension, setup

_PROJECT = Path(__file__).resolve().parent.parent
_SOURCES = sorted((_PROJECT / "nuvett" / "core").rglob("*.pyx"))
# None of these makes a result depend on anything but the place of a pixel; what does, reordering of sums, is left out.
_FLAGS = ["-O3", "-march=native", "-fno-math-errno", "-fno-trapping-math", "-ffp-contract=fast"]


def main() -> None:
    """Compile; the argument is a folder for what lies between."""
    folder = Path(sys.argv[1]).resolve()
    extensions = [
        Extension(
            ".".join(path.relative_to(_PROJECT).with_suffix("").parts),
            [str(path.relative_to(_PROJECT))],
            extra_compile_args=_FLAGS,
            extra_link_args=["-s"],
        )
        for path in _SOURCES
    ]
    made = cythonize(  # type: ignore[no-untyped-call]
        extensions, build_dir=str(folder), nthreads=2, quiet=True
    )
    arguments = ["-q", "build_ext", "--inplace", "--parallel", "2", "--build-temp", str(folder)]
    setup(name="nuvett-core", packages=[], py_modules=[], ext_modules=made, script_args=arguments)


if __name__ == "__main__":
    main()

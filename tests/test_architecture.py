"""What the code as a whole keeps to: names, and the libraries that are used in ways which they do not promise. (Who may know whom:
.importlinter.)"""

import ast
import re
from collections import Counter
from pathlib import Path
from typing import Any

import numba
import numpy as np
import pytest
import soundfile
from numba.core.datamodel import default_manager

from goshawk.core.compiled import packed_words
from goshawk.errors import LibraryDiffers
from goshawk.system import libraries

PACKAGE = Path(libraries.__file__).parents[1]
SOURCES = {path: path.read_text(encoding="utf-8") for path in PACKAGE.rglob("*.py")}


def test_each_class_has_a_name_of_its_own() -> None:
    nodes = (node for text in SOURCES.values() for node in ast.walk(ast.parse(text)))
    names = Counter(node.name for node in nodes if isinstance(node, ast.ClassDef))
    assert [name for name, count in names.items() if count > 1] == []


def test_what_libraries_keep_to_themselves_is_used_in_one_module() -> None:
    private = re.compile(r"\bsoundfile\._|\bnumba\b.*\bimport|\bimport (numba|llvmlite)")
    users = {path.relative_to(PACKAGE).as_posix() for path, text in SOURCES.items() if private.search(text)}  # fmt: skip
    assert users == {"core/compiled.py", "kernel_cache.py", "store/recordings/track_file.py"}


def test_numba_and_libsndfile_are_as_they_are_relied_on(tmp_path: Path) -> None:
    array = np.arange(6, dtype=np.float32).reshape(3, 2)
    model: Any = default_manager.lookup(numba.typeof(array))
    assert model._fields == ("meminfo", "parent", "nitems", "itemsize", "data", "shape", "strides")
    assert packed_words([array])[2:] == [6, 4, array.ctypes.data, 3, 2, 8, 4]
    with soundfile.SoundFile(tmp_path / "one.wav", "x", 48_000, 1, "PCM_24", format="RF64") as file:
        auto_header = 0x1061  # SFC_SET_UPDATE_HEADER_AUTO answers whether it is on
        assert soundfile._snd.sf_command(file._file, auto_header, soundfile._ffi.NULL, 1) == 1


def test_another_version_of_what_is_relied_on_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    libraries.check_libraries()
    monkeypatch.setattr(libraries, "version", lambda name: "99.0")
    with pytest.raises(LibraryDiffers, match=r"numba 99\.0 is installed.*pip install 'numba"):
        libraries.check_libraries()

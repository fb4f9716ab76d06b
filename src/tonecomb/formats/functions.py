"""Functions of frequency in files that other programs read: spectra as UFF 58, transfer functions
as UFF 58 (function type 4) and HDF5."""

from __future__ import annotations

import io
import math
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit
from tonecomb.formats import atomic
from tonecomb.formats.universal import add_set
from tonecomb.version import __version__

if TYPE_CHECKING:
    from tonecomb.core.estimate.spectrum import Scaling
    from tonecomb.core.method.sketch import Sketch
    from tonecomb.core.results.analysis import Analysis
    from tonecomb.core.results.transfer import Transfer

_FRF, _EVEN, _HERTZ = 4, 1, 18
_SPECTRA: dict[Scaling, int] = {"power": 2, "psd": 9}
"""Function types of data set 58 that the library writes; 0, the general one, for the others."""
_DIGITS = 1e-9  # how exactly a step has to be said
_QUANTITIES = {"Acceleration": 12, "Velocity": 11, "Displacement": 8, "Force": 13, "Pressure": 15}


def spectrum_as_uff(a: Analysis) -> bytes:
    """What is drawn of a spectrum as one data set 58, linear, from 0 Hz on.

    Raises :class:`UserError` where it is in bands: they are not evenly spaced.
    """
    import pyuff

    curve, symbol = a.curve, a.unit
    if curve.stepped:
        raise UserError(
            "UFF holds a spectrum bin by bin, and this one is in bands",
            remedy="save it as CSV, or show it without bands",
        )
    step = a.spectrum.bin_hz  # the format has six digits for it: others say each frequency
    said = math.isclose(float(f"{step:.5e}"), step, rel_tol=_DIGITS)
    with atomic.unpacking(), tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "spectrum.uff"
        held = pyuff.prepare_58(
            binary=1,
            func_type=_SPECTRA.get(a.scaling, 0),
            id1=a.channel.name[:80],
            id2=a.recording_name[:80],
            id3=a.sentence[:80],
            id4=f"Tone Comb {__version__}",
            id5="NONE",
            load_case_id=0,
            rsp_node=a.method.source.channel + 1,
            rsp_dir=0,
            ref_node=0,
            ref_dir=0,
            abscissa_spacing=_EVEN if said else 0,
            abscissa_spec_data_type=_HERTZ,
            abscissa_axis_units_lab="Hz",
            ordinate_spec_data_type=_QUANTITIES.get(symbol.quantity, 0),
            ordinate_axis_units_lab=a.values_unit[:20],
            orddenom_spec_data_type=0,
            orddenom_axis_units_lab="NONE",
            z_axis_spec_data_type=0,
            data=curve.values,
            x=curve.frequency,
        )
        add_set(pyuff.UFF(str(path)), held)
        return path.read_bytes()


def as_uff(result: Transfer, sketch: Sketch | None = None) -> bytes:
    """A data set 58 for each answer, complex, in the channels' own quantities. Nodes are numbers of
    channels (from 1), with the directions of the ``sketch``; channels at one point share the node
    of the first. Where places are known a data set 15 has them."""
    import pyuff

    assert result.reference is not None
    r = result.response
    below = unit(result.reference.unit)
    nodes = _nodes(sketch)
    own = result.between.reference or 0
    with atomic.unpacking(), tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "response.uff"
        file = pyuff.UFF(str(path))
        for i, (number, channel) in enumerate(zip(result.numbers, result.answers, strict=True)):
            above = unit(channel.unit)
            held = pyuff.prepare_58(
                binary=1,
                func_type=_FRF,
                id1=f"{channel.name} over {result.reference.name}"[:80],
                id2=result.recording_name[:80],
                id3="NONE",
                id4=f"Tone Comb {__version__}",
                id5="NONE",
                load_case_id=0,
                rsp_node=nodes.get(number, (number + 1, 0))[0],
                rsp_dir=nodes.get(number, (0, 0))[1],
                ref_node=nodes.get(own, (own + 1, 0))[0],
                ref_dir=nodes.get(own, (0, 0))[1],
                abscissa_spacing=_EVEN,
                abscissa_spec_data_type=_HERTZ,
                abscissa_axis_units_lab="Hz",
                ordinate_spec_data_type=_QUANTITIES.get(above.quantity, 0),
                ordinate_axis_units_lab=above.symbol[:20],
                orddenom_spec_data_type=_QUANTITIES.get(below.quantity, 0),
                orddenom_axis_units_lab=below.symbol[:20],
                z_axis_spec_data_type=0,
                data=r.h[i],
                x=r.frequency,
            )
            add_set(file, held)
        if sketch is not None and sketch.places:
            _write_places(file, sketch, nodes)
        return path.read_bytes()


def _nodes(sketch: Sketch | None) -> dict[int, tuple[int, int]]:
    """Node and direction of each channel with a place."""
    first: dict[tuple[float, float, float], int] = {}
    places = () if sketch is None else sketch.places
    for one in places:
        first.setdefault(one.point, one.channel + 1)
    return {one.channel: (first[one.point], one.direction) for one in places}


def _write_places(file: Any, sketch: Sketch, nodes: dict[int, tuple[int, int]]) -> None:
    import pyuff

    at = {nodes[one.channel][0]: one.point for one in sketch.places}
    x, y, z = ([point[i] for point in at.values()] for i in range(3))
    count = len(at)
    held = pyuff.prepare_15(
        node_nums=list(at),
        def_cs=[0] * count,
        disp_cs=[0] * count,
        color=[0] * count,
        x=x,
        y=y,
        z=z,
    )
    add_set(file, held)


def as_hdf5(result: Transfer) -> bytes:
    """Curves as asked, coherence, intervals and modes as arrays with their names and units."""
    import h5py

    assert result.reference is not None
    r, out = result.response, io.BytesIO()
    with h5py.File(out, "w") as file:
        file.attrs["method"] = result.sentence
        file.attrs["recording"] = result.recording_name
        file.attrs["program"] = f"Tone Comb {__version__}"
        file.attrs["reference"] = result.reference.name
        file.attrs["answers"] = [one.name for one in result.answers]
        file.attrs["units"] = list(result.units)
        file["frequency_hz"] = r.frequency
        file["response"] = result.curves
        file["radius_95"] = result.radius
        if r.coherence is not None:
            file["coherence"] = r.coherence
        if result.modes is not None:
            modes = file.create_group("modes")
            found = result.modes.modes
            modes["frequency_hz"] = [one.frequency for one in found]
            modes["frequency_std_hz"] = [one.frequency_std for one in found]
            modes["damping_ratio"] = [one.damping for one in found]
            modes["damping_ratio_std"] = [one.damping_std for one in found]
            shape = (len(found), len(result.answers))
            modes["constant"] = np.array([one.constant for one in found]).reshape(shape)
    return out.getvalue()

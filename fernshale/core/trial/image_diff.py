"""Compare two images by visible differences."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import tr

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray
    from PIL import Image

# The least difference of two colours side by side that most people see, in CIE 1976 L*a*b*.
JUST_SEEN = 2.3
_LARGEST = 64 << 20
_BLUR = 1


class NoPicture(FernshaleError):
    """A file that is no picture that can be read."""


@dataclass(frozen=True, slots=True)
class PictureDifference:
    """The difference of two images: the share of pixels that look different (0..1), the mean and maximum difference (ΔE*ab),
    and the

    bounding box of the difference (left, top, right, bottom in pixels). `why` is set if they cannot be compared pixel by pixel.
    """

    share: float
    mean: float
    most: float
    box: tuple[int, int, int, int]
    size: tuple[int, int]
    why: str = ""

    @property
    def is_same(self) -> bool:
        return self.share == 0 and not self.why


def compare_pictures(
    before: Path, now: Path, tolerance: float = JUST_SEEN
) -> tuple[PictureDifference, NDArray[np.bool_] | None]:
    """Return the difference, and a mask of different pixels (rows by columns) if the images have one size.

    Colours are compared in CIE L*a*b* (CIE 1976), averaged with the neighbouring pixels, so noise in single pixels does not count.
    Raises NoPicture.
    """
    import numpy as np

    first, second = _read(before), _read(now)
    size = second.shape[1], second.shape[0]
    if first.shape != second.shape:
        words = tr(
            "it is {width} x {height} now and was {old_width} x {old_height}",
            width=size[0],
            height=size[1],
            old_width=first.shape[1],
            old_height=first.shape[0],
        )
        return PictureDifference(1.0, 100.0, 100.0, (0, 0, *size), size, words), None
    apart = np.sqrt(((_blurred(_lab(first)) - _blurred(_lab(second))) ** 2).sum(axis=2))
    seen = apart > tolerance
    if not seen.any():
        return PictureDifference(0.0, float(apart.mean()), float(apart.max()), (0, 0, 0, 0), size), seen
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    box = int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1
    return PictureDifference(float(seen.mean()), float(apart.mean()), float(apart.max()), box, size), seen


def small_png(path: Path, largest_side: int) -> bytes:
    """The picture as PNG, made smaller where a side has more pixels. Raises NoPicture."""
    image = _image(path)
    image.thumbnail((largest_side, largest_side))
    made = io.BytesIO()
    image.save(made, "PNG")
    return made.getvalue()


def _read(path: Path) -> NDArray[np.float64]:
    """Rows by columns by red, green, blue, each 0..1."""
    import numpy as np

    return np.asarray(_image(path), dtype=np.float64) / 255.0


def _image(path: Path) -> Image.Image:
    """The picture as RGB."""
    from PIL import Image, UnidentifiedImageError

    try:
        if path.stat().st_size > _LARGEST:
            raise NoPicture(tr("{name} is too large for a picture", name=path.name))
        with Image.open(path) as image:
            return image.convert("RGB")
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, ValueError, SyntaxError) as error:
        raise NoPicture(tr("{name} is no picture that can be read: {error}", name=path.name, error=error)) from error


def _lab(rgb: NDArray[np.float64]) -> NDArray[np.float64]:
    """sRGB (IEC 61966-2-1) as L*a*b* under D65."""
    import numpy as np

    linear = np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)
    to_xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
    xyz = linear @ to_xyz.T / np.array([0.95047, 1.0, 1.08883])
    f = np.where(xyz > 216 / 24389, np.cbrt(xyz), (24389 / 27 * xyz + 16) / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def _blurred(lab: NDArray[np.float64]) -> NDArray[np.float64]:
    from scipy.ndimage import uniform_filter

    found: NDArray[np.float64] = uniform_filter(lab, size=(2 * _BLUR + 1, 2 * _BLUR + 1, 1), mode="nearest")
    return found

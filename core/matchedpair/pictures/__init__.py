"""Reading and writing pictures: linear Rec.709, float32 RGB, shape (H, W, 3)."""

from matchedpair.pictures.picture import Picture, luminance
from matchedpair.pictures.read import read_picture
from matchedpair.pictures.write import write_exr

__all__ = ["Picture", "luminance", "read_picture", "write_exr"]

"""Writes target_patches.npy: linear Rec.709 reflectance of the 24 patches under D65.

Source: "BabelColor Average" spectra and the CIE 1931 2 degree observer in colour-science 0.4.7.
"""

from pathlib import Path

import colour
import numpy as np

sds = colour.SDS_COLOURCHECKERS["BabelColor Average"]
xyz = np.array([colour.sd_to_XYZ(sd, illuminant=colour.SDS_ILLUMINANTS["D65"]) / 100 for sd in sds.values()])
rgb = xyz @ colour.RGB_COLOURSPACES["sRGB"].matrix_XYZ_to_RGB.T
np.save(Path(__file__).with_name("target_patches.npy"), np.clip(rgb, 0.001, 1).astype(np.float32))

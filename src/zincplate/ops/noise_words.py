"""What is said of noise reduction in more than one step."""

TOLD_APART = "Noise of camera files is told apart from texture now: grass, gravel and cloth keep more of what they are."

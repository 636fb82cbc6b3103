"""Every tolerance of the tests, with its reason."""

# Central differences in double precision with a step of 1e-5 are good to about 1e-10 of the function's scale;
# the gradients here are sums of up to a few thousand such terms.
GRADIENT = 1e-6

# Two orders of summation over up to a few thousand float64 products.
DOUBLE_SUMS = 1e-10

# The promise of every export: probabilities of an independent runtime agree within this.
EXPORT = 1e-4

# Single precision against double: sums of up to a few hundred products of numbers near one.
SINGLE_SUMS = 2e-5

# Minimal filtering in single precision adds four numbers before and after each product, but its sums over channels are
# nine times shorter than direct ones. Measured: 2e-6 for 128 channels of numbers near one (bench/convolution.py).
MINIMAL_SUMS = 1e-5

# Batch norm folded into the weights before it moves each product by at most a few units in the last place.
FOLDING = 1e-5

# Places between pixels in single precision, against double: a few steps of a search on sums of squares of grey levels
# up to 255. Measured: 2e-5 in poses and correlations of tiles.
ALIGNMENT = 2e-4

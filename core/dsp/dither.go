package dsp

import "math"

// AddDither adds triangular (TPDF) dither of ±1 step of a bits-wide integer to samples, in place. The noise is a
// function of channel and position alone, so that the same print gives the same bytes however it is cut into blocks.
// position counts sample frames.
func AddDither(samples []float64, bits, channel int, position int64) {
	scale := math.Ldexp(1, 1-bits-32)
	key := uint64(channel+1) * 0x9e3779b97f4a7c15
	for i := ditherEights(samples, key, position, scale); i < len(samples); i++ {
		r := mix(key ^ uint64(position+int64(i)))
		// two independent 32-bit uniforms make the triangle
		samples[i] += float64(int64(r>>32)-int64(r&0xffffffff)) * scale // which is exact, as scale is a power of two
	}
}

// mix is the finaliser of SplitMix64 (Steele, Lea and Flood, 2014), a bijection whose outputs look random.
func mix(z uint64) uint64 {
	z += mixGamma
	z = (z ^ z>>30) * mixFirst
	z = (z ^ z>>27) * mixSecond
	return z ^ z>>31
}

const mixGamma, mixFirst, mixSecond = 0x9e3779b97f4a7c15, 0xbf58476d1ce4e5b9, 0x94d049bb133111eb

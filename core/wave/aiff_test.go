package wave

import (
	"bytes"
	"encoding/binary"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/fault"
)

type aiffChunk struct {
	id   string
	body []byte
}

// form writes an IFF file from its chunks.
func form(kind string, chunks ...aiffChunk) []byte {
	var b bytes.Buffer
	b.WriteString(kind)
	for _, c := range chunks {
		b.WriteString(c.id)
		_ = binary.Write(&b, binary.BigEndian, uint32(len(c.body)))
		b.Write(c.body)
		if len(c.body)%2 == 1 {
			b.WriteByte(0)
		}
	}
	return append(binary.BigEndian.AppendUint32([]byte("FORM"), uint32(b.Len())), b.Bytes()...)
}

// comm is a format chunk at 48 kHz, whose rate as an 80-bit number is 0x400E BB80….
func comm(channels, frames, bits int, kind string) aiffChunk {
	b := binary.BigEndian.AppendUint16(nil, uint16(channels))
	b = binary.BigEndian.AppendUint32(b, uint32(frames))
	b = binary.BigEndian.AppendUint16(b, uint16(bits))
	b = append(b, 0x40, 0x0e, 0xbb, 0x80, 0, 0, 0, 0, 0, 0)
	if kind != "" {
		b = append(append(b, kind...), 0, 0)
	}
	return aiffChunk{"COMM", b}
}

func sound(samples ...byte) aiffChunk { return aiffChunk{"SSND", append(make([]byte, 8), samples...)} }

func TestAIFF(t *testing.T) {
	float := binary.BigEndian.AppendUint32(nil, math.Float32bits(-0.25))
	for name, c := range map[string]struct {
		bytes []byte
		want  []float64 // frames of one channel
	}{
		"8 bit, signed":           {form("AIFF", comm(1, 2, 8, ""), sound(0x40, 0xc0)), []float64{0.5, -0.5}},
		"16 bit":                  {form("AIFF", comm(1, 2, 16, ""), sound(0x40, 0, 0xe0, 0)), []float64{0.5, -0.25}},
		"24 bit, sound first":     {form("AIFF", sound(0xc0, 0, 0), comm(1, 1, 24, "")), []float64{-0.5}},
		"32 bit":                  {form("AIFC", comm(1, 1, 32, "NONE"), sound(0x20, 0, 0, 0)), []float64{0.25}},
		"little-endian":           {form("AIFC", comm(1, 1, 16, "sowt"), sound(0, 0x40)), []float64{0.5}},
		"float":                   {form("AIFC", comm(1, 1, 32, "fl32"), sound(float...)), []float64{-0.25}},
		"fewer frames than bytes": {form("AIFF", comm(1, 1, 16, ""), sound(0x40, 0, 0, 0)), []float64{0.5}},
		"lost power":              {form("AIFF", comm(1, 0, 16, ""), aiffChunk{"SSND", nil})[:54-8], nil},
	} {
		t.Run(name, func(t *testing.T) {
			f, err := Open(bytes.NewReader(c.bytes), int64(len(c.bytes)))
			if c.want == nil {
				assert.Equal(t, fault.Damaged, fault.KindOf(err))
				return
			}
			require.NoError(t, err)
			assert.Equal(t, 48000, f.SampleRate)
			require.EqualValues(t, len(c.want), f.Frames)
			raw := make([]byte, len(c.want)*f.FrameBytes())
			_, err = f.ReadRaw(raw, 0)
			require.NoError(t, err)
			got := make([]float64, len(c.want))
			f.Decode(got, raw, 0)
			assert.Equal(t, c.want, got)
		})
	}
}

func TestAIFFFaults(t *testing.T) {
	truncated := form("AIFF", comm(2, 100, 16, ""), sound(make([]byte, 400)...))
	truncated = truncated[:len(truncated)-200]
	f, err := Open(bytes.NewReader(truncated), int64(len(truncated)))
	require.NoError(t, err)
	assert.True(t, f.Recovered)
	assert.EqualValues(t, 50, f.Frames)
	for name, b := range map[string][]byte{
		"no channels":    form("AIFF", comm(0, 1, 16, ""), sound(0, 0)),
		"no sound":       form("AIFF", comm(1, 1, 16, "")),
		"no format":      form("AIFF", sound(0, 0)),
		"compressed":     form("AIFC", comm(1, 1, 16, "ima4"), sound(0, 0)),
		"not audio":      form("ILBM", comm(1, 1, 16, "")),
		"absurd samples": form("AIFF", comm(1, 1, 64, ""), sound(0, 0)),
	} {
		_, err := Open(bytes.NewReader(b), int64(len(b)))
		assert.NotEmpty(t, fault.KindOf(err), name)
	}
}

package delivery

import (
	"encoding/json"

	"zestyloom/core/contract"
)

// UnmarshalJSON reads plans as they were stored before there were ranges, containers and streams too.
func (p *Plan) UnmarshalJSON(text []byte) error {
	type plain Plan
	if err := json.Unmarshal(text, (*plain)(p)); err != nil {
		return err
	}
	if p.Ranges != nil {
		return nil
	}
	var before struct{ Spec contract.First }
	if err := json.Unmarshal(text, &before); err != nil {
		return err
	}
	p.Ranges, p.Rate = []PlannedRange{{Name: "reel", First: int64(p.Start), From: int64(p.Start), To: int64(p.Start) + p.Frames,
		Stamp: p.Start}},
		before.Spec.SampleRate
	if before.Spec.BitDepth > 0 {
		p.Spec = before.Spec.Upgraded()
	}
	for i := range p.Files {
		f := &p.Files[i]
		f.Container, f.Codec, f.Rate, f.Depth, f.Dither, f.Start, f.Frames = contract.Wave, contract.PCM, p.Rate, before.Spec.BitDepth, true,
			p.Start, p.Frames
		f.Bytes = f.Frames * int64(len(f.Channels)*f.Depth/8)
		f.Streams = []PlannedStream{{Channels: f.Channels}}
	}
	return nil
}

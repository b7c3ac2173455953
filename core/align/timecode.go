package align

import (
	"zestyloom/core/take"
	"zestyloom/core/timecode"
)

// Timecodes gives where a recording lies against a reference by their time stamps, in samples at the recording's rate;
// positive: it starts later. Stamps that lie on both sides of midnight are brought within half a day of each other. It
// is not ok where one has no stamp.
func Timecodes(reference, recording take.Description) (offset int64, ok bool) {
	if reference.StartSamples == nil || recording.StartSamples == nil {
		return 0, false
	}
	at := timecode.Convert(*reference.StartSamples, reference.SampleRate, recording.SampleRate)
	return recording.Rate().Near(timecode.Reading(*recording.StartSamples), at, recording.SampleRate) - at, true
}

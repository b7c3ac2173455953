package delivery

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"

	"zestyloom/core/chain"
	"zestyloom/core/contract"
	"zestyloom/core/engine"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// hand is raised whenever the same plan, reel and sounds come out as other bytes than before, so that nothing is taken for
// unchanged that an older program has made.
const hand = 2

// SoundOf tells what the sound of a take is: the same text for the same sound, whatever the take is called; empty where it
// is not known.
type SoundOf func(take string) (string, error)

// Fingerprint is the same for two parts that would be the same bytes, but for the day on which they are made (Stamp): it is
// a sum over all that reaches the part's groups within its range, the sounds of the takes among it, and over how the part is
// written. r is the reel that NewPlan gave with the plan. It is empty where a sound is not known.
func (p Plan) Fingerprint(part Part, r *reel.Reel, source SoundOf) (string, error) {
	planned := p.Files[part.File]
	header, err := headerOf(p, part, r, Stamp{})
	if err != nil {
		return "", err
	}
	head, err := header.Marshal()
	if err != nil {
		return "", err
	}
	span := p.Ranges[planned.Range]
	heard, err := audible(r, part.groups(), reel.Span{From: span.From, To: span.To}, p.Rate)
	if err != nil {
		return "", err
	}
	takes := map[string]string{}
	for _, id := range heard.TakesHeard() {
		if takes[id], err = source(id); err != nil || takes[id] == "" {
			return "", err
		}
	}
	span.Name = ""
	return summed(struct {
		Hand     int
		Range    PlannedRange
		Rate     int
		Form     making
		Depth    int
		Dither   bool
		Channels []PlannedChannel
		Lead     []contract.Signal
		Tail     []contract.Signal
		Header   []byte
		Reel     *reel.Reel
		Takes    map[string]string
	}{hand, span, planned.Rate, planned.formOf(p.Rate), planned.Depth, planned.Dither, bare(part.Channels), p.Spec.Programme.Lead,
		p.Spec.Programme.Tail, head, heard, takes})
}

// bare gives channels without the words on what feeds them.
func bare(channels []PlannedChannel) []PlannedChannel {
	out := make([]PlannedChannel, len(channels))
	for i, c := range channels {
		c.Fed = Fed{}
		out[i] = c
	}
	return out
}

// Fingerprint is the same for two files that are put together in the same way of the same: parts are the fingerprints of its
// parts, picture tells what its picture is. It is empty where one of those is.
func (m Muxing) Fingerprint(parts []string, picture string) (string, error) {
	for _, part := range parts {
		if part == "" {
			return "", nil
		}
	}
	if m.Picture != nil && picture == "" {
		return "", nil
	}
	names := make([]string, len(parts))
	return summed(struct {
		Hand    int
		Args    []string
		Parts   []string
		Picture string
	}{hand, m.Args(names, "", ""), parts, picture})
}

// about is how long before and after a range something still acts on it, in seconds: what turns phases or limits looks around it by less. What
// chains remember and look ahead to comes on top.
const about = 1

// audible gives a reel with no more than what is heard of it in some groups within a range.
func audible(r *reel.Reel, groups []string, span reel.Span, rate int) (*reel.Reel, error) {
	out, err := weave.Reaching(r, weave.Groups(groups))
	if err != nil {
		return nil, err
	}
	before, after, err := engine.Reach(out)
	if err != nil {
		return nil, err
	}
	if out = weave.Bare(out); len(out.Chains) > 0 {
		before += chain.LongestMemory * int64(rate)
	}
	for id, c := range out.Clips {
		if c.End() <= span.From-before-int64(about*rate) || c.Start >= span.To+after+int64(about*rate) {
			delete(out.Clips, id)
		}
	}
	return out, nil
}

// summed is a sum over the JSON of something.
func summed(of any) (string, error) {
	text, err := json.Marshal(of)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), nil
}

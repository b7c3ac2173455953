package api

import (
	"encoding/binary"
	"math"
	"net/http"

	"github.com/gin-gonic/gin"

	"zestyloom/core/convert"
	"zestyloom/core/fault"
	"zestyloom/core/overview"
	"zestyloom/core/reel"
	"zestyloom/core/report"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/internal/library"
	"zestyloom/internal/store"
)

// takesAtOnce is how many takes are given at once: some kilobytes each.
const takesAtOnce = 30

// ListTakes gives a part of a production's takes, or what has changed in them.
func (s *Server) ListTakes(c *gin.Context, id ProductionID, p ListTakesParams) {
	asked := store.TakesAsked{After: text(p.After), Since: text(p.Since), Limit: takesAtOnce}
	if p.Limit != nil {
		asked.Limit = *p.Limit
	}
	page, err := s.Store.TakesPage(c, id, asked)
	if err != nil {
		s.fail(c, err)
		return
	}
	history, err := s.Store.TakeHistory(c, id, author(c))
	s.answer(c, http.StatusOK, TakeList{Takes: some(page.Takes), Next: page.Next, Gone: some(page.Gone), Count: page.Count,
		Stamp: page.Stamp,
		Whole: page.Whole, Undo: history.Undo, Redo: history.Redo, Revision: history.Revision}, err)
}

// UndoTakeEdit takes the last edit of takes back.
func (s *Server) UndoTakeEdit(c *gin.Context, id ProductionID) {
	var body AtRevision
	if s.read(c, &body) {
		s.done(c, s.Store.UndoTakeEdit(c, id, body.Revision, author(c)))
	}
}

// RedoTakeEdit brings it back.
func (s *Server) RedoTakeEdit(c *gin.Context, id ProductionID) {
	var body AtRevision
	if s.read(c, &body) {
		s.done(c, s.Store.RedoTakeEdit(c, id, body.Revision, author(c)))
	}
}

// GetTake gives one take.
func (s *Server) GetTake(c *gin.Context, id TakeID) {
	t, err := s.Store.Take(c, id)
	s.answer(c, http.StatusOK, t, err)
}

// EditTake changes what the user says of one take.
func (s *Server) EditTake(c *gin.Context, id TakeID) {
	var body TakeEdit
	if !s.read(c, &body) {
		return
	}
	t, err := s.Store.Take(c, id)
	if err == nil {
		_, err = s.Store.EditTakes(c, t.Production, author(c), []string{id}, body)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.GetTake(c, id)
}

// EditTakes makes the same edit on several.
func (s *Server) EditTakes(c *gin.Context, id ProductionID) {
	var body TakesEdit
	if !s.read(c, &body) {
		return
	}
	changed, err := s.Store.EditTakes(c, id, author(c), body.Takes, body.Edit)
	s.answer(c, http.StatusOK, gin.H{"changed": changed}, err)
}

// CarryNames names the other takes of the roll like this one.
func (s *Server) CarryNames(c *gin.Context, id TakeID) {
	changed, err := s.Store.CarryNames(c, id, author(c))
	s.answer(c, http.StatusOK, gin.H{"changed": changed}, err)
}

// AssessTakes says what speaks for and against takes being one.
func (s *Server) AssessTakes(c *gin.Context, id ProductionID) {
	var body TakeChoice
	if !s.read(c, &body) {
		return
	}
	family, err := s.Store.Assess(c, id, body.Takes)
	s.answer(c, http.StatusOK, family, err)
}

// GroupTakes joins takes.
func (s *Server) GroupTakes(c *gin.Context, id ProductionID, _ GroupTakesParams) {
	var body TakeChoice
	if !s.read(c, &body) {
		return
	}
	made, err := s.Store.Group(c, id, author(c), body.Takes)
	if err == nil {
		_, err = s.Jobs.Diagnose(c, id, made)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	t, err := s.Store.Take(c, made)
	s.answer(c, http.StatusCreated, t, err)
}

// TakeApart gives the files of a take back as takes of their own.
func (s *Server) TakeApart(c *gin.Context, id TakeID) { s.done(c, s.Store.TakeApart(c, id, author(c))) }

// TieTake ties a take to a picture or to another take.
func (s *Server) TieTake(c *gin.Context, id TakeID) {
	var body store.Tie
	if s.read(c, &body) {
		s.tie(c, id, &body)
	}
}

// UntieTake unties it.
func (s *Server) UntieTake(c *gin.Context, id TakeID) { s.tie(c, id, nil) }

func (s *Server) tie(c *gin.Context, id string, tie *store.Tie) {
	if err := s.Store.SetTie(c, id, author(c), tie); err != nil {
		s.fail(c, err)
		return
	}
	s.GetTake(c, id)
}

// RefuseMatch notes that a match is wrong.
func (s *Server) RefuseMatch(c *gin.Context, id TakeID) {
	var body RefuseMatchJSONBody
	if s.read(c, &body) {
		s.done(c, s.Store.RefuseMatch(c, id, body.Refused))
	}
}

// ListMatches gives what lining up found.
func (s *Server) ListMatches(c *gin.Context, id ProductionID, p ListMatchesParams) {
	list, err := s.Store.Matches(c, id, text(p.After), pageOf(p.Limit, nil).Limit)
	s.answer(c, http.StatusOK, list, err)
}

// StartSync queues lining up.
func (s *Server) StartSync(c *gin.Context, id ProductionID, _ StartSyncParams) {
	var body SyncRequest
	if !s.read(c, &body) {
		return
	}
	work, err := s.Jobs.Sync(c, id, body.Takes, body.References, body.Method)
	s.answer(c, http.StatusAccepted, gin.H{"work": work}, err)
}

// ConvertTake queues the resampling of a take.
func (s *Server) ConvertTake(c *gin.Context, id TakeID, _ ConvertTakeParams) {
	var body convert.Conversion
	if !s.read(c, &body) {
		return
	}
	t, err := s.Store.Take(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	work, err := s.Jobs.Convert(c, author(c), t, body)
	s.answer(c, http.StatusAccepted, gin.H{"work": work}, err)
}

// GetStems gives a production's stems and rules, and its words.
func (s *Server) GetStems(c *gin.Context, id ProductionID) {
	stems, rules, err := s.Store.StemsAndRules(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	words, err := s.Store.Words(c, id)
	meanings := take.Meanings()
	s.answer(c, http.StatusOK, StemsAndRules{Stems: stems, Rules: rules, Words: &words, Meanings: &meanings}, err)
}

// SetStems changes them.
func (s *Server) SetStems(c *gin.Context, id ProductionID) {
	var body StemsAndRules
	if !s.read(c, &body) {
		return
	}
	err := s.Store.SetStemsAndRules(c, id, body.Stems, body.Rules)
	if err == nil && body.Words != nil {
		err = s.Store.SetWords(c, id, *body.Words)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.GetStems(c, id)
}

// GetReport writes the sound report.
func (s *Server) GetReport(c *gin.Context, id ProductionID) {
	takes, err := s.Store.Takes(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	var lines []report.Line
	for _, t := range takes {
		lines = append(lines, report.Of(t.Description, t.FileName))
	}
	c.Header("Content-Type", "text/csv; charset=utf-8")
	c.Header("Content-Disposition", attachment("Sound report.csv"))
	if err := report.Write(c.Writer, lines); err != nil {
		s.Log.Debug("sending a report", "error", err)
	}
}

// maxReport bounds a sound report, in bytes.
const maxReport = 32 << 20

// ReadReport fills takes from a sound report.
func (s *Server) ReadReport(c *gin.Context, id ProductionID) {
	report, err := report.Read(c.Request.Body)
	if err != nil {
		s.fail(c, err)
		return
	}
	changed, missing, err := s.Store.FillFromReport(c, id, author(c), report)
	result := ReportResult{Changed: changed, Missing: []string{}}
	for _, l := range missing {
		name := l.File
		if name == "" {
			name = l.Scene + "/" + l.Take
		}
		result.Missing = append(result.Missing, name)
	}
	s.answer(c, http.StatusOK, result, err)
}

// RemoveTake forgets a take and the server's copy of it.
func (s *Server) RemoveTake(c *gin.Context, id TakeID) {
	keys, err := s.Store.RemoveTake(c, id)
	if err == nil {
		err = s.library().Clear(c, keys)
	}
	s.done(c, err)
}

// GetPicture sends the small picture of a movie, also in parts.
func (s *Server) GetPicture(c *gin.Context, id TakeID) {
	t, err := s.Store.Take(c, id)
	if err == nil && t.Picture == nil {
		err = fault.New(fault.NotFound, "%s has no picture", t.Title())
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	f, _, err := s.Media.Open(t.Picture.ProxyKey)
	if err != nil {
		s.fail(c, err)
		return
	}
	defer f.Close()
	c.Header("Content-Type", "video/mp4")
	http.ServeContent(c.Writer, c.Request, "", t.CreatedAt, f)
}

// GetWaveform gives a stretch of a take's overview. Bins beyond the end are left out.
func (s *Server) GetWaveform(c *gin.Context, id TakeID, params GetWaveformParams) {
	t, err := s.Store.Take(c, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	if params.Level < 0 || params.Level >= len(overview.OverviewFrames) || params.From < 0 || params.From > 1<<40 || params.Count < 1 ||
		params.Count > 65536 {
		s.fail(c, fault.New(fault.BadInput, "There is no such stretch of the waveform"))
		return
	}
	b, err := s.library().Overview(c, t, params.Level, params.From, params.Count)
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "private, max-age=31536000, immutable") // a take's samples never change
	c.Data(http.StatusOK, "application/octet-stream", b)
}

// quietest is how long the quiet is that is proposed, in seconds.
const quietest = 2

// GetQuiet finds the quietest stretch of a channel.
func (s *Server) GetQuiet(c *gin.Context, id TakeID, params GetQuietParams) {
	t, err := s.Store.Take(c, id)
	if err == nil && (params.Channel < 1 || params.Channel > len(t.Channels)) {
		err = fault.New(fault.BadInput, "The take has no channel %d", params.Channel)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	const level, most = 1, 65536 // bins that are looked at, three quarters of an hour
	bin := int64(overview.OverviewFrames[level])
	b, err := s.library().Overview(c, t, level, 0, int(min(most, t.Description.Frames/bin)))
	if err != nil {
		s.fail(c, err)
		return
	}
	n := min(quietest*int64(t.Description.SampleRate), t.Description.Frames/2) / bin
	at, found := overview.Quietest(b, len(t.Channels), params.Channel-1, int(n))
	if !found || float64(n*bin) < reel.LeastQuiet*float64(t.Description.SampleRate) {
		s.fail(c, fault.New(fault.NotFound, "There is no quiet on this channel to make room tone of; choose a stretch of another take"))
		return
	}
	c.JSON(http.StatusOK, reel.Span{From: int64(at) * bin, To: (int64(at) + n) * bin})
}

// maxOnsets bounds the stretch that onsets are looked for in, in frames.
const maxOnsets = 1 << 20

// GetOnsets finds where sounds begin on a channel.
func (s *Server) GetOnsets(c *gin.Context, id TakeID, params GetOnsetsParams) {
	s.stretch(c, id, params.Channel, params.Count, maxOnsets, func(f *wave.File) error {
		at, err := library.Onsets(f, params.Channel, params.From, params.Count)
		if err == nil {
			c.JSON(http.StatusOK, at)
		}
		return err
	})
}

// stretch opens a take of which a stretch of a channel, or of all added up, is asked for.
func (s *Server) stretch(c *gin.Context, id TakeID, channel, count, most int, give func(*wave.File) error) {
	t, err := s.Store.Take(c, id)
	if err == nil && (count < 1 || count > most || channel < 0 || channel > len(t.Channels)) {
		err = fault.New(fault.BadInput, "There is no such stretch of the take")
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	session := s.library().Session(c)
	defer session.Close()
	f, err := session.OpenTake(t)
	if err == nil {
		err = give(f)
	}
	if err != nil {
		s.fail(c, err)
	}
}

// maxSamples bounds a stretch of samples, in frames.
const maxSamples = 192000

// GetSamples gives a stretch of one channel, or of all added up, sample by sample.
func (s *Server) GetSamples(c *gin.Context, id TakeID, params GetSamplesParams) {
	s.stretch(c, id, params.Channel, params.Count, maxSamples, func(f *wave.File) error {
		samples, err := library.Stretch(f, params.Channel, params.From, params.Count)
		if err != nil {
			return err
		}
		b := make([]byte, 0, 4*len(samples))
		for _, x := range samples {
			b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(x)))
		}
		c.Header("Cache-Control", "private, max-age=31536000, immutable")
		c.Data(http.StatusOK, "application/octet-stream", b)
		return nil
	})
}

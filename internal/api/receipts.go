package api

import (
	"context"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"zestyloom/core/contract"
	"zestyloom/core/desk"
	"zestyloom/core/fault"
	"zestyloom/core/reel"
	"zestyloom/core/reload"
	"zestyloom/core/unravel"
	"zestyloom/core/wires"
	"zestyloom/internal/intake"
	"zestyloom/internal/listen"
	"zestyloom/internal/reception"
	"zestyloom/internal/store"
)

// ListReceipts gives the deliveries of a production that the desk has looked at, without what it found in each.
func (s *Server) ListReceipts(c *gin.Context, id ProductionID, p ListReceiptsParams) {
	list, err := s.Store.Receipts(c, id, pageOf(p.Limit, p.Before))
	s.answer(c, http.StatusOK, list, err)
}

// GetReceipt gives one of them.
func (s *Server) GetReceipt(c *gin.Context, id string) {
	r, err := s.Store.Receipt(c, id)
	s.answer(c, http.StatusOK, r, err)
}

// RemoveReceipt removes one of them.
func (s *Server) RemoveReceipt(c *gin.Context, id string) {
	r, err := s.Store.Receipt(c, id)
	if err == nil {
		err = s.Jobs.Remove(c, id)
	}
	if err == nil && r.Print == nil {
		err = s.Media.RemoveAll(r.Folder)
	}
	s.done(c, err)
}

// TakeToDesk has the desk look at a print.
func (s *Server) TakeToDesk(c *gin.Context, id PrintID, _ TakeToDeskParams) {
	p, ok := s.delivered(c, id)
	if !ok {
		return
	}
	o, err := s.Store.Reel(c, p.Reel)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.queueReceipt(c, store.Receipt{Production: o.Production, Print: &p.ID, Name: p.Plan.Folder(), Folder: p.Folder, Spec: &p.Plan.Spec,
		Packaging: p.Plan.Packaging})
}

func (s *Server) queueReceipt(c *gin.Context, r store.Receipt) {
	id, err := s.Jobs.Check(c, r)
	if err != nil {
		s.fail(c, err)
		return
	}
	r, err = s.Store.Receipt(c, id)
	c.Header("Location", Base+"/receipts/"+id)
	s.answer(c, http.StatusAccepted, r, err)
}

// Receive takes files of a delivery to the desk.
func (s *Server) Receive(c *gin.Context, id ProductionID, p ReceiveParams) {
	r := store.Receipt{Production: id, Name: strings.TrimSpace(text(p.Name))}
	var arriving string
	r.Folder, arriving = s.Jobs.ReceivedFolder()
	_, err := s.Store.Production(c, id)
	if err == nil && text(p.Spec) != "" {
		var spec contract.Spec
		if spec, err = s.spec(c, id, text(p.Spec)); err == nil {
			r.Spec = &spec
		}
	}
	if p.Packaging != nil {
		r.Packaging = *p.Packaging
	}
	var names []string
	if err == nil {
		names, err = s.lay(c, arriving)
	}
	if err == nil {
		err = s.Media.Publish(arriving, r.Folder)
	}
	if err != nil {
		if gone := s.Media.RemoveAll(arriving); gone != nil {
			s.Log.Warn("files of a delivery that was not taken in could not be removed", "error", gone)
		}
		s.fail(c, err)
		return
	}
	if r.Name == "" {
		r.Name = names[0]
	}
	s.queueReceipt(c, r)
}

// maxReceived is the most files that are taken to the desk at once.
const maxReceived = 500

// lay writes the files of a form into a folder of the media, and gives their names.
func (s *Server) lay(c *gin.Context, folder string) (names []string, err error) {
	form, err := c.Request.MultipartReader()
	if err != nil {
		return nil, fault.Wrap(fault.BadInput, err, "No files came with this; choose those of the delivery")
	}
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fault.Wrap(fault.BadInput, err, "The files did not arrive whole; send them again")
		}
		name := unravel.FileSafeTo(path.Base(strings.ReplaceAll(part.FileName(), `\`, "/")), 200)
		if part.FileName() == "" || strings.HasPrefix(name, ".") {
			continue
		}
		switch {
		case slices.Contains(names, name):
			return nil, fault.New(fault.BadInput, "Two of the files are called %s", name)
		case len(names) == maxReceived:
			return nil, fault.New(fault.BadInput, "These are more than %d files; send them as one ZIP, or fewer", maxReceived)
		}
		if err := s.receive(c, part, folder+"/"+name); err != nil {
			return nil, err
		}
		names = append(names, name)
	}
	if len(names) == 0 {
		return nil, fault.New(fault.BadInput, "No files came with this; choose those of the delivery")
	}
	return names, nil
}

func (s *Server) receive(ctx context.Context, part *multipart.Part, key string) error {
	if err := s.Jobs.Room(0); err != nil {
		return err
	}
	f, err := s.Media.Create(key)
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := io.Copy(f, part); err != nil {
		if fault.KindOf(err) == "" {
			return fault.Wrap(fault.BadInput, err, "The files did not arrive whole; send them again")
		}
		return err
	}
	return f.Sync()
}

// tape is a recording of the receiving deck: it arrives like any delivery.
type tape struct {
	s                     *Server
	reel, folder, arrives string
}

func (s *Server) tape(reel string) listen.Tape {
	t := tape{s: s, reel: reel}
	t.folder, t.arrives = s.Jobs.ReceivedFolder()
	return t
}

// Create makes a file of the recording.
func (t tape) Create(name string) (wires.Out, error) {
	if err := t.s.Jobs.Room(0); err != nil {
		return nil, err
	}
	return t.s.Media.Create(t.arrives + "/" + name)
}

// Keep queues the recording for the desk.
func (t tape) Keep(ctx context.Context, name string) (receipt string, err error) {
	o, err := t.s.Store.Reel(ctx, t.reel)
	if err != nil {
		return "", errors.Join(err, t.Drop())
	}
	if err := t.s.Media.Publish(t.arrives, t.folder); err != nil {
		return "", err
	}
	return t.s.Jobs.Check(ctx, store.Receipt{Production: o.Production, Name: name, Folder: t.folder})
}

// Drop removes the recording.
func (t tape) Drop() error { return t.s.Media.RemoveAll(t.arrives) }

// HearReceipt gives a stretch of a file of a delivery.
func (s *Server) HearReceipt(c *gin.Context, id string, p HearReceiptParams) {
	r, err := s.Store.Receipt(c, id)
	if err == nil && (r.Receipt == nil || !slices.ContainsFunc(r.Receipt.Files, func(f desk.File) bool {
		return f.Name == p.File &&
			len(f.Streams) > 0
	})) {
		err = fault.New(fault.NotFound, "The delivery has no file %q that can be heard", p.File)
	}
	var local string
	if err == nil {
		local, err = s.Media.Path(r.Folder + "/" + p.File)
	}
	if err == nil {
		if _, there := s.Media.Stat(r.Folder + "/" + p.File); there != nil {
			err = fault.New(fault.NotFound, "%s came in a ZIP, which is not kept unpacked; send the files singly to hear them", p.File)
		}
	}
	var sound []byte
	if err == nil {
		sound, err = intake.Excerpt(c, local, counted(p.Stream, 1)-1, counted(p.Channel, 0), number(p.From, 0), number(p.Seconds, 5))
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Data(http.StatusOK, "audio/wav", sound)
}

func counted(x *int, none int) int {
	if x == nil {
		return none
	}
	return *x
}

func number(x *float32, none float64) float64 {
	if x == nil {
		return none
	}
	return float64(*x)
}

// takesOf gives what the files of a delivery were brought in as, by file and stream.
func (s *Server) takesOf(ctx context.Context, r store.Receipt) (map[reload.Source]reload.Take, error) {
	var sums []string
	for _, f := range r.Receipt.Files {
		sums = append(sums, f.SHA256)
	}
	takes, err := s.Store.TakesOfFiles(ctx, r.Production, sums)
	found := map[reload.Source]reload.Take{}
	for _, f := range r.Receipt.Files { // some may be the same: channels that are silent
		for _, t := range takes {
			if t.SHA256 == f.SHA256 {
				found[reload.Source{File: f.Name, Stream: t.Stream}] = reload.Take{ID: t.ID, Title: t.Title(),
					Rate:   t.Description.SampleRate,
					Frames: t.Description.Frames, Picture: t.Picture != nil}
			}
		}
	}
	return found, err
}

// looked finds a delivery that the desk has looked at.
func (s *Server) looked(ctx context.Context, id string) (store.Receipt, error) {
	r, err := s.Store.Receipt(ctx, id)
	if err == nil && r.Receipt == nil {
		err = fault.New(fault.BadInput, "The desk has not looked at this delivery yet")
	}
	return r, err
}

// BringInReceived queues the files of a delivery that the production does not have yet as takes.
func (s *Server) BringInReceived(c *gin.Context, id string, _ BringInReceivedParams) {
	r, err := s.looked(c, id)
	var there map[reload.Source]reload.Take
	if err == nil {
		there, err = s.takesOf(c, r)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	answer := BroughtIn{Work: []string{}}
	for _, f := range r.Receipt.Files {
		if _, has := there[reload.Source{File: f.Name}]; has || len(f.Streams) == 0 {
			continue
		}
		work, err := s.Jobs.ImportMedia(c, r.Production, r.Folder+"/"+f.Name)
		if err != nil {
			s.fail(c, err)
			return
		}
		answer.Work = append(answer.Work, work)
	}
	c.JSON(http.StatusAccepted, answer)
}

// LoadReceived makes a reel of a delivery whose files have been brought in.
func (s *Server) LoadReceived(c *gin.Context, id string, _ LoadReceivedParams) {
	var body LoadRequest
	if !s.read(c, &body) {
		return
	}
	r, err := s.looked(c, id)
	var takes map[reload.Source]reload.Take
	if err == nil {
		takes, err = s.takesOf(c, r)
	}
	var p store.Production
	if err == nil {
		p, err = s.Store.Production(c, r.Production)
	}
	var step reel.Sequence
	if err == nil {
		step, err = reload.Load(*r.Receipt, r.Name, takes, r.Spec, p.SampleRate)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	p.FrameRate = r.Receipt.FrameRate
	start, _ := reload.Start(*r.Receipt, p.SampleRate)
	o, err := s.Store.CreateReelOf(c, p, body.Name, &start, author(c), step)
	s.show(c, http.StatusCreated, o, nil, err)
}

// CompareReceipts takes one delivery from another.
func (s *Server) CompareReceipts(c *gin.Context, id string, p CompareReceiptsParams) {
	select { // each reads two deliveries, movies by other programs
	case s.comparing <- struct{}{}:
		defer func() { <-s.comparing }()
	case <-c.Request.Context().Done():
		s.fail(c, c.Request.Context().Err())
		return
	}
	var opened [2]*reception.Delivery
	for i, which := range []string{id, p.With} {
		r, err := s.looked(c, which)
		if err == nil {
			opened[i], err = s.openReceived(c, r)
		}
		if err != nil {
			s.fail(c, err)
			return
		}
		defer opened[i].Close()
	}
	found, err := desk.Compare(c, opened[0].Files, opened[1].Files, func(float64) {})
	s.answer(c, http.StatusOK, found, err)
}

// openReceived opens the files of a delivery, which have been looked at before.
func (s *Server) openReceived(ctx context.Context, r store.Receipt) (*reception.Delivery, error) {
	inside, err := s.Media.Path(r.Folder + "/x")
	if err != nil {
		return nil, err
	}
	sums := map[string]string{}
	for _, f := range r.Receipt.Files {
		if len(f.Streams) > 0 {
			sums[f.Name] = f.SHA256
		}
	}
	return reception.OpenOurs(ctx, filepath.Dir(inside), sums)
}

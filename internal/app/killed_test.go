package app_test

import (
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/api"
	"zestyloom/internal/app/apptest"
)

// strikes are how long after something began the server is killed: from before it has done anything to after it is done.
func strikes(t *testing.T) (list []time.Duration) {
	n := rounds(t, 6)
	for i := range n {
		list = append(list, time.Duration(i*i)*400*time.Millisecond/time.Duration(n*n))
	}
	return list
}

// Handing a delivery over, loading one as a reel, and receiving files are killed at any of their steps: what is done twice is done once,
// nothing lies half in a folder or in the media, and no reel is empty.
func TestKilledInSeveralSteps(t *testing.T) {
	s := apptest.Start(t)
	production, v := crossing(t, s)
	p := printed(s, production, v, map[string]any{"packaging": "per-group"})
	var r api.Receipt
	s.OK("POST", "/prints/"+p.ID+"/receipts", nil, &r)
	s.Settled(production)
	s.OK("POST", "/receipts/"+r.ID+"/takes", nil, nil)
	s.Settled(production)
	s.Stop()
	for i, after := range strikes(t) {
		kill := s.RunApart()
		s.OK("POST", "/prints/"+p.ID+"/handover", map[string]any{"folder": "Harbour Mile"}, nil)
		time.Sleep(after)
		kill()
		kill = s.RunApart()
		for title, w := range s.Settled(production) {
			assert.Equal(t, "done", w.State, "killed after %s: %s: %s", after, title, w.Message)
		}
		found, err := os.ReadDir(s.Receiver)
		require.NoError(t, err)
		require.Len(t, found, 1, "killed after %s", after)
		for _, f := range p.Report.Files {
			b, err := os.ReadFile(filepath.Join(s.Receiver, found[0].Name(), f.Name))
			require.NoError(t, err)
			assert.EqualValues(t, f.Size, len(b))
		}
		require.NoError(t, os.RemoveAll(filepath.Join(s.Receiver, found[0].Name())))

		go func() { // whether it is answered is not known
			b := bytes.NewReader(fmt.Appendf(nil, `{"name":"Loaded %d"}`, i))
			if res, err := http.Post(s.Base+api.Base+"/receipts/"+r.ID+"/reel", "application/json", b); err == nil {
				res.Body.Close()
			}
		}()
		time.Sleep(after / 8)
		kill()
		kill = s.RunApart()
		var reels []api.ReelInfo
		s.OK("GET", "/productions/"+production+"/reels", nil, &reels)
		for _, info := range reels {
			var view api.ReelView
			s.OK("GET", "/reels/"+info.ID, nil, &view)
			assert.NotEmpty(t, view.Clips, "%s is whole", info.Name)
		}

		arrived := receiving(s, production)
		<-arrived
		kill()
		kill = s.RunApart()
		s.Settled(production)
		var receipts []api.ListedReceipt
		s.OK("GET", "/productions/"+production+"/receipts", nil, &receipts)
		require.Eventually(t, func() bool { // what did not arrive whole is gone
			return len(within(t, s, "attempts")) == 0 && len(within(t, s, "received")) <= len(receipts)
		}, 60*time.Second, 100*time.Millisecond)
		kill()
	}
}

// receiving sends files of a delivery to the desk, and stops in the middle of one: it goes no further before the server ends. It tells when it
// has come so far.
func receiving(s *apptest.Server, production string) (sent chan struct{}) {
	sent = make(chan struct{})
	from, to := io.Pipe()
	form := multipart.NewWriter(to)
	go func() {
		for i := range 4 {
			part, err := form.CreateFormFile("file", fmt.Sprintf("part %d.wav", i))
			if err != nil {
				return
			}
			sound := s.Silence(20)
			if i == 3 {
				sound = sound[:len(sound)/2]
			}
			_, _ = part.Write(sound)
		}
		close(sent)
	}()
	go func() {
		res, err := http.Post(s.Base+api.Base+"/productions/"+production+"/receipts", form.FormDataContentType(), from)
		if err == nil {
			res.Body.Close()
		}
		from.Close()
	}()
	return sent
}

package web

import (
	"context"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/coder/websocket"
)

func TestLiveDraftInTheBrowser(t *testing.T) {
	s := serve(t, t.TempDir())
	row := s.add(t, small("DR"))
	h := hand{t, browse(t)}
	h.open(s.URL + "/shots/dr/stage?volume=24")
	h.until(`() => window.zarf && zarf.state.scene && zarf.draft`)
	h.click("#draft")
	h.until(`() => zarf.draft.frames > 3 && zarf.shown()`)
	first := h.number(`() => zarf.draft.first`)
	t.Logf("first frame of the draft after %.0f ms", first)
	if first > 5000 {
		t.Errorf("the draft's first frame came after %.0f ms", first)
	}
	// a value that is changed acts at once
	if code, _ := s.post(t, "/shots/dr/value", "stage", "kind", "emitter", "id", "emitter1", "key", "smoke", "v", "60", "frame", "1"); code != 200 {
		t.Fatal(code)
	}
	h.until(`() => zarf.draft.head.volume.parts[0].top > 40`)
	h.click(`#drafttools [name=pause]`)
	h.until(`() => zarf.draft.paused`)
	time.Sleep(150 * time.Millisecond)
	at := h.number(`() => zarf.draft.frames`)
	h.click(`#drafttools [name=step]`)
	h.until(`(n) => zarf.draft.frames === n + 1`, at)
	// its process is killed: the page says so, keeps the picture, and goes on
	syscall.Kill(s.drafts(t)[0], syscall.SIGKILL)
	h.until(`() => !zarf.draft.running && document.getElementById('viewnote').textContent.includes('killed') && zarf.shown()`)
	h.click(`#drafttools [name=restart]`)
	h.until(`() => zarf.draft.running && zarf.draft.frames > 2`)
	h.click(`#drafttools [name=keep]`)
	deadline := time.Now().Add(20 * time.Second)
	for {
		takes, _ := s.st.Store.Takes(row.ID)
		if len(takes) == 1 {
			if !strings.HasPrefix(takes[0].Note, "draft at") {
				t.Errorf("kept with the note %q", takes[0].Note)
			}
			break
		}
		if time.Now().After(deadline) {
			t.Fatal("the draft was not kept")
		}
		time.Sleep(20 * time.Millisecond)
	}
	h.click(`#drafttools [name=end]`)
	h.until(`() => !zarf.draft.running && document.getElementById('drafttools').hidden`)
}

func TestDraftsOfStrangersAndTooMany(t *testing.T) {
	s := serve(t, t.TempDir())
	s.add(t, small("DS"))
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	address := "ws" + strings.TrimPrefix(s.URL, "http") + "/shots/ds/draft?size=16"
	if _, _, err := websocket.Dial(ctx, address, &websocket.DialOptions{HTTPHeader: map[string][]string{"Origin": {"http://elsewhere.test"}}}); err == nil {
		t.Error("a page of another site began a draft")
	}
	var first *websocket.Conn
	for n := range 2 + 1 {
		c, _, err := websocket.Dial(ctx, address, nil)
		if err != nil {
			t.Fatal(err)
		}
		defer c.CloseNow()
		c.SetReadLimit(64 << 20)
		if n == 0 {
			first = c
		}
		if _, b, err := c.Read(ctx); err != nil || !strings.Contains(string(b), `"begin"`) {
			t.Fatalf("draft %d: %.100q %v", n, b, err)
		}
	}
	for {
		_, b, err := first.Read(ctx)
		if err != nil {
			t.Fatal("the oldest draft was not told why it ended")
		}
		if strings.Contains(string(b), `"gone"`) {
			if !strings.Contains(string(b), "other drafts") {
				t.Errorf("it says %q", b)
			}
			break
		}
	}
}

// draftProcess is this test program as a draft's process.
func draftProcess(self string) func() *exec.Cmd {
	return func() *exec.Cmd {
		c := exec.Command(self)
		c.Env = append(c.Environ(), "ZARF_TEST_DRAFT=1")
		return c
	}
}

package shot

import (
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"
)

// spent is what decoding a text took: memory handed out in all, and time.
func spent(text []byte) (s *Shot, bytes uint64, took time.Duration, err error) {
	var a, b runtime.MemStats
	runtime.ReadMemStats(&a)
	begin := time.Now()
	s, _, err = Decode(text)
	took = time.Since(begin)
	runtime.ReadMemStats(&b)
	return s, b.TotalAlloc - a.TotalAlloc, took, err
}

// Reading a file takes a bounded multiple of its own size, most of it for a moment only,
// whatever it is made of; and what no shot could be is refused with its line.
func TestAFileTakesNoMoreThanItsSize(t *testing.T) {
	head := `{"format": "zarf-shot/1", "name": "L", `
	for what, c := range map[string]struct{ text, refused string }{
		"a long name over a long list": {head + `"` + strings.Repeat("x", 300_000) + `": [` + strings.Repeat("1,", 99_999) + `1]}`, "has 300000 bytes; 256 are allowed"},
		"a name over a long list":      {head + `"later": [` + strings.Repeat("1,", 99_999) + `1]}`, ""},
		"many small things":            {head + `"later": [` + strings.Repeat("[],", 1_900_000) + `[]]}`, "names and values"},
		"many unknown fields":          {head + fieldsNamed(20_000) + `}`, "fields that aren't known here"},
		"nested":                       {head + `"later": ` + strings.Repeat("[", 100_000) + strings.Repeat("]", 100_000) + `}`, "nested more than 32 deep"},
	} {
		s, bytes, took, err := spent([]byte(c.text))
		if limit := 100*uint64(len(c.text)) + 1<<22; bytes > limit {
			t.Errorf("%s: %d bytes of text took %d of memory", what, len(c.text), bytes)
		}
		if took > 5*time.Second {
			t.Errorf("%s: took %v", what, took)
		}
		var fe *FileError
		switch {
		case c.refused == "" && (err != nil || s.Name != "L"):
			t.Errorf("%s: %v", what, err)
		case c.refused != "" && (!errors.As(err, &fe) || !strings.Contains(err.Error(), c.refused)):
			t.Errorf("%s: %v", what, err)
		}
	}
}

func fieldsNamed(n int) string {
	var l []string
	for i := range n {
		l = append(l, fmt.Sprintf(`"later%d": 1`, i))
	}
	return strings.Join(l, ", ")
}

// The line of a fault is found whatever stands before it, names with dots and
// brackets too.
func TestFaultsAreFoundByTheirLine(t *testing.T) {
	text := "{\n \"format\": \"zarf-shot/1\",\n \"name\": \"N\",\n \"values.first\": 3,\n \"values\": {\n  \"later[0]\": {\"x\": [1, {\"y\": 2}]},\n  \"first\": 1,\n  \"last\": \"soon\"\n }\n}"
	var fe *FileError
	if _, _, err := Decode([]byte(text)); !errors.As(err, &fe) || fe.Line != 8 || fe.Field != "values.last" {
		t.Errorf("%v", err)
	}
}

// Keys come in any order, as quickly as in their own, and of two at one frame the later
// counts.
func TestKeysInFallingOrder(t *testing.T) {
	const n = MaxKeys
	shotOf := func(keys []string) []byte {
		list := "[" + strings.Join(keys, ",") + "]"
		return []byte(`{"format": "zarf-shot/1", "name": "K", "elements": [{"id": "e", "kind": "emitter", "keys": {"smoke": ` + list + `, "fuel": ` + list + `, "speed": ` + list + `, "temperature": ` + strings.ReplaceAll(list, `"value": `, `"value": 30`) + `}}]}`)
	}
	var keys []string
	for i := n; i > 0; i-- {
		keys = append(keys, fmt.Sprintf(`{"frame": %d, "value": %g}`, i, float64(i)/n))
	}
	rising := slices.Clone(keys[:n-1])
	slices.Reverse(rising)
	_, _, usual, err := spent(shotOf(rising))
	if err != nil {
		t.Fatal(err)
	}
	keys = append(keys[:n-1], `{"frame": 7, "value": 0.5}`)
	s, _, took, err := spent(shotOf(keys))
	if err != nil {
		t.Fatal(err)
	}
	if took > 3*usual+time.Second {
		t.Errorf("%d keys took %v, and in their order %v", 4*n, took, usual)
	}
	e := s.Element("e")
	for name, want := range map[string]float64{"smoke": 0.5, "speed": 0.5} {
		l := e.keys[name]
		if len(l) != n-1 || l[0].Frame != 2 || l[5].Frame != 7 || l[5].Value.Num != want {
			t.Errorf("%s: %d keys, %+v", name, len(l), l[:6])
		}
	}
}

// What is stored can be read again: text that is all signs which JSON could escape
// takes no more room than it has, and what would be too large is refused.
func TestWhatIsStoredCanBeRead(t *testing.T) {
	s := New("B")
	s.Note = strings.Repeat("<&>‹", 1_000_000)
	b := s.Encode()
	if len(b) > len(s.Note)+10_000 {
		t.Errorf("%d bytes of note are stored as %d", len(s.Note), len(b))
	}
	back, _, err := Decode(b)
	if err != nil || back.Note != s.Note || TooLarge(b) != nil {
		t.Fatal(err)
	}
	s.Note = strings.Repeat("\x01", 2_000_000)
	if b := s.Encode(); TooLarge(b) == nil {
		t.Errorf("%d bytes can be stored", len(b))
	}
}

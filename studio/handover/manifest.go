package handover

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"zarf/studio/cache"
)

// ManifestName and ChecklistName are the files that every handover has.
const (
	ManifestName  = "manifest.json"
	ChecklistName = "checklist.txt"
	journalName   = "journal.jsonl"
)

// Manifest tells what a handover holds.
type Manifest struct {
	Format    string    `json:"format"`
	What      string    `json:"what"`
	Name      string    `json:"name"`
	Shot      string    `json:"shot"`
	Made      string    `json:"made"`
	Rate      float64   `json:"frames_per_second"`
	Frames    int       `json:"frames"`
	First     int       `json:"first_number"`
	Digits    int       `json:"digits"`
	Source    [2]int    `json:"source_frames"`
	Step      int       `json:"source_step"`
	Axes      string    `json:"axes,omitempty"`
	Scale     float64   `json:"units_per_metre,omitempty"`
	Voxel     float64   `json:"voxel_size,omitempty"`
	Precision string    `json:"precision,omitempty"`
	Crop      []float64 `json:"crop_in_shot_metres,omitempty"` // low and high corner
	Channels  []Channel `json:"channels,omitempty"`
	Objects   []string  `json:"objects,omitempty"`
	Meshes    []string  `json:"meshes,omitempty"`  // that points name, by number
	Colours   *Colours  `json:"colours,omitempty"` // of particles
	Pictures  *Pictures `json:"pictures,omitempty"`
	Flipbook  *Flipbook `json:"flipbook,omitempty"`
	Notes     []string  `json:"notes,omitempty"`
	Checklist []string  `json:"checklist"`
	Files     []File    `json:"files"`
	Checked   string    `json:"read_back"`
}

// Channel describes a channel over all frames.
type Channel struct {
	Name  string  `json:"name"`
	Holds string  `json:"holds"`
	Type  string  `json:"type"`
	Unit  string  `json:"unit"`
	Low   float64 `json:"low"`
	High  float64 `json:"high"`
	Error float64 `json:"largest_error,omitempty"` // by rounding, in the unit
}

// Colours tells how a look colours particles, in linear light.
type Colours struct {
	Look   string     `json:"look"`
	Colour [3]float64 `json:"colour"`
	By     string     `json:"varies_with,omitempty"` // the number that the ramp runs over, which it multiplies the colour by
	From   float64    `json:"from,omitempty"`
	To     float64    `json:"to,omitempty"`
	Ramp   []Ramped   `json:"ramp,omitempty"`
}

// Ramped is a stop of a ramp, at 0 to 1 of its range.
type Ramped struct {
	At     float64    `json:"at"`
	Colour [3]float64 `json:"colour"`
	Way    string     `json:"way"` // to the next: straight, smooth or step
}

// File is one file of a handover.
type File struct {
	Path   string `json:"path"`
	Frame  int    `json:"source_frame"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
}

// Pictures tells how the colours of pictures are to be read.
type Pictures struct {
	Width  int      `json:"width"`
	Height int      `json:"height"`
	File   string   `json:"file"`
	Space  string   `json:"colour_space"`
	Alpha  string   `json:"alpha"`
	Layers []string `json:"layers,omitempty"`
}

// Flipbook tells how an atlas is to be played.
type Flipbook struct {
	Columns  int          `json:"columns"`
	Rows     int          `json:"rows"`
	TileWide int          `json:"tile_width"`
	TileTall int          `json:"tile_height"`
	Padding  int          `json:"padding"`
	Tiles    int          `json:"tiles"`
	Rate     float64      `json:"tiles_per_second"`
	Picked   []int        `json:"source_frame_of_each_tile"`
	Loop     string       `json:"loop"`
	Seam     *SeamFacts   `json:"seam,omitempty"`
	Motion   *MotionFacts `json:"motion,omitempty"`
	Sheets   []Sheet      `json:"sheets"`

	recorded [2]int // pixels of a recorded frame
}

// SeamFacts is how a loop closes.
type SeamFacts struct {
	Jump  float64 `json:"last_to_first"`
	Mean  float64 `json:"mean_change"`
	Ratio float64 `json:"ratio"`
}

// MotionFacts is how motion vectors are to be read.
type MotionFacts struct {
	By      string  `json:"by"`
	Masked  bool    `json:"masked"`
	Up      string  `json:"vertical"`
	Largest float64 `json:"largest"` // that a full channel says, shares of a tile
	Formula string  `json:"formula"`
	Between float64 `json:"in_between_error"`            // of the picture between, over a step of two tiles
	Fade    float64 `json:"in_between_error_cross_fade"` // what a cross-fade gives
}

// Gain is how many times nearer to the truth pictures between tiles come by
// motion than by a cross-fade.
func (m MotionFacts) Gain() float64 {
	if m.Between <= 0 {
		return 1
	}
	return m.Fade / m.Between
}

// Sheet is one atlas, or sequence of tiles.
type Sheet struct {
	Name     string    `json:"name"`
	Channels [4]string `json:"channels"`
	Space    string    `json:"colour_space"`
	Alpha    string    `json:"alpha"`
	Clipped  float64   `json:"share_of_values_cut_off_at_1,omitempty"`
	Files    []string  `json:"files"`
}

// Read reads a handover's manifest.
func Read(dir string) (*Manifest, error) {
	b, err := os.ReadFile(filepath.Join(dir, ManifestName))
	if err != nil {
		return nil, err
	}
	var m Manifest
	if err := json.Unmarshal(b, &m); err != nil {
		return nil, errors.Join(errors.New("the manifest can't be read"), err)
	}
	return &m, nil
}

// entry is a line of the journal: a file with what is known of it.
type entry struct {
	File     File      `json:"file"`
	Channels []Channel `json:"channels,omitempty"`
	Notes    []string  `json:"notes,omitempty"`
}

// journal notes what is written, so that a handover can go on.
type journal struct {
	path string
	had  map[string]entry
}

// open reads the journal of a folder, or begins one. head tells what is being
// made: a folder begun with something else is refused, as is one with files
// that no journal knows.
func openJournal(dir, head string) (*journal, error) {
	j := &journal{path: filepath.Join(dir, journalName), had: map[string]entry{}}
	b, err := os.ReadFile(j.path)
	if errors.Is(err, os.ErrNotExist) {
		list, err := os.ReadDir(dir)
		if err != nil {
			return nil, fmt.Errorf("handover folder: %w", err)
		}
		for _, e := range list {
			if !strings.HasPrefix(e.Name(), ".part-") {
				return nil, fmt.Errorf("the folder %s holds %s already, and nothing is written over; choose an empty one", dir, e.Name())
			}
		}
		_, _, err = cache.WriteFile(j.path, func(w io.Writer) error { _, err := fmt.Fprintln(w, head); return err })
		return j, err
	}
	if err != nil {
		return nil, fmt.Errorf("handover folder: %w", err)
	}
	lines := strings.Split(string(b), "\n")
	if lines[0] != head {
		return nil, fmt.Errorf("the folder %s holds another handover, or one of other values, and nothing is written over; choose an empty one", dir)
	}
	for _, l := range lines[1:] {
		var e entry
		if json.Unmarshal([]byte(l), &e) != nil {
			continue // the last line may be cut off
		}
		if info, err := os.Stat(filepath.Join(dir, filepath.FromSlash(e.File.Path))); err == nil && info.Size() == e.File.Size {
			j.had[e.File.Path] = e
		}
	}
	return j, nil
}

func (j *journal) add(e entry) error {
	b, err := json.Marshal(e)
	if err != nil {
		return err
	}
	f, err := os.OpenFile(j.path, os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return fmt.Errorf("the handover's journal: %w", err)
	}
	defer f.Close()
	if _, err := f.Write(append(b, '\n')); err != nil {
		return fmt.Errorf("the handover's journal: %w", err)
	}
	return f.Sync()
}

package takes

import (
	"fmt"
	"strings"
	"testing"

	"zarf/core/shot"
	"zarf/core/sim"
	_ "zarf/core/solvers"
)

func TestPlots(t *testing.T) {
	d := shot.New("P")
	d.Add(shot.Domain)
	stats := map[int]sim.Stats{}
	for f := 1; f <= 5; f++ {
		stats[f] = sim.Stats{Substeps: f, MaxSpeed: 2.5, Amounts: map[sim.Amount]float64{sim.SmokeTotal: float64(f) * 1000}}
	}
	got := plots(d, d.Element("domain1"), stats)
	var titles []string
	for _, p := range got {
		titles = append(titles, p.Title)
	}
	if s := fmt.Sprint(titles); s != "[Smoke held Fastest Substeps]" {
		t.Errorf("%s", s)
	}
	if got[0].Top != "5000" || got[0].From != 1 || got[0].To != 5 || strings.Count(got[0].Path, "L") != 4 {
		t.Errorf("%+v", got[0])
	}
	if len(plots(d, d.Element("domain1"), map[int]sim.Stats{1: {Substeps: 1}})) != 0 {
		t.Error("one frame is no curve")
	}
}

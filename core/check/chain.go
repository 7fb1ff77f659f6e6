package check

import (
	"fmt"

	"zarf/core/shot"
)

// fed lists the emitters that another domain's fluid feeds.
func (s *scene) fed() (out []*shot.Element) {
	for _, e := range s.emitters {
		if e.Get("from").Text == "fluid" {
			out = append(out, e)
		}
	}
	return out
}

func feedMissing(s *scene) (out []Finding) {
	for _, e := range s.fed() {
		if s.Source(e) != nil {
			continue
		}
		f := Finding{Severity: Fault, Element: e.ID, What: e.Name + " is fed by no domain.", Why: "It emits where another domain's fluid is, and none is named that isn't muted."}
		for _, d := range s.domains {
			if !e.Acts(d) || len(s.domains) == 2 && len(e.ActsOn) == 1 && e.ActsOn[0] != d.ID {
				f.Mend = &Mend{Label: "Feed it from " + d.Name, Element: e.ID, Key: "fed_by", Value: shot.Text(d.ID)}
				break
			}
		}
		out = append(out, f)
	}
	return out
}

func sequenceEmpty(s *scene) (out []Finding) {
	for _, e := range s.Of(shot.Sequence) {
		if e.Get("frames").Text == "" {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: e.Name + " holds no frames.", Why: "Bring in the VDB files of a sequence on its sheet."})
		}
	}
	return out
}

func feedRing(s *scene) []Finding {
	_, err := s.Order()
	if err == nil {
		return nil
	}
	f := Finding{Severity: Fault, What: "Domains " + err.Error() + ".", Why: "None of them could be run first."}
	for _, e := range s.fed() {
		if src := s.Source(e); src != nil && src.Kind == shot.Domain && e.Acts(src) {
			f.Element = e.ID
			f.What = fmt.Sprintf("%s is fed by %s and acts on it too.", e.Name, src.Name)
			f.Why = "A domain can't feed itself: let the emitter act on another one only."
		}
	}
	return []Finding{f}
}

func feedChannel(s *scene) (out []Finding) {
	for _, e := range s.fed() {
		src := s.Source(e)
		if src == nil || src.Kind != shot.Domain {
			continue
		}
		if where := e.Get("fed_where").Text; (where == "surface") != src.Liquid() && where != "density" {
			what, mend := "a liquid's surface", "density"
			if src.Liquid() {
				what, mend = where, "surface"
			}
			out = append(out, Finding{Severity: Fault, Element: e.ID, What: fmt.Sprintf("%s is fed by %s, which %s doesn't have.", e.Name, what, src.Name), Why: "There is no such channel in its frames.",
				Mend: &Mend{Label: "Feed it by what there is", Element: e.ID, Key: "fed_where", Value: shot.Text(mend)}})
			continue
		}
		for where, key := range map[string]string{"burn": "cache_fire", "temperature": "cache_temperature"} {
			if e.Get("fed_where").Text == where && !src.Get(key).Flag {
				out = append(out, Finding{Severity: Fault, Element: e.ID, What: fmt.Sprintf("%s is fed by what %s doesn't keep in its cache.", e.Name, src.Name), Why: "There is no such channel in its frames.",
					Mend: &Mend{Label: shot.Find(shot.Domain, key).Label, Element: src.ID, Key: key, Value: shot.On(true)}})
			}
		}
		if e.Get("fed_where").Text == "burn" && !src.Burns() {
			out = append(out, Finding{Severity: Fault, Element: e.ID, What: fmt.Sprintf("%s is fed by the flame of %s, in which nothing burns.", e.Name, src.Name), Why: "There is no such channel in its frames.",
				Mend: &Mend{Label: "Feed it by smoke", Element: e.ID, Key: "fed_where", Value: shot.Text("density")}})
		}
	}
	return out
}

func feedStill(s *scene) (out []Finding) {
	for _, e := range s.fed() {
		if src := s.Source(e); src != nil && e.Get("inherit").Num != 0 && src.Kind == shot.Domain && !src.Get("cache_velocity").Flag {
			out = append(out, Finding{Severity: Warning, Element: e.ID, What: fmt.Sprintf("%s keeps no velocity for %s to take along.", src.Name, e.Name), Why: "What it emits stands still at first.",
				Mend: &Mend{Label: "Keep velocity", Element: src.ID, Key: "cache_velocity", Value: shot.On(true)}})
		}
	}
	return out
}

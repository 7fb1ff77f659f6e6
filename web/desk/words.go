package desk

import (
	"fmt"
	"strconv"
	"time"
)

func BytesWords(n any) string {
	var v float64
	switch n := n.(type) {
	case int64:
		v = float64(n)
	case float64:
		v = n
	}
	for _, u := range []struct {
		size float64
		name string
	}{{1e12, "TB"}, {1e9, "GB"}, {1e6, "MB"}, {1e3, "kB"}} {
		if v >= u.size {
			return strconv.FormatFloat(v/u.size, 'f', 1, 64) + " " + u.name
		}
	}
	return fmt.Sprintf("%.0f B", v)
}

func SecondsWords(v float64) string {
	switch {
	case v < 1:
		return "under 1 s"
	case v < 90:
		return fmt.Sprintf("%.0f s", v)
	case v < 5400:
		return fmt.Sprintf("%.0f min", v/60)
	case v < 48*3600:
		return fmt.Sprintf("%.1f h", v/3600)
	}
	return fmt.Sprintf("%.1f days", v/86400)
}

func CountWords(v float64) string {
	switch {
	case v >= 1e9:
		return fmt.Sprintf("%.2f billion", v/1e9)
	case v >= 1e6:
		return fmt.Sprintf("%.2f million", v/1e6)
	case v >= 1e4:
		return fmt.Sprintf("%.0f thousand", v/1e3)
	}
	return fmt.Sprintf("%.0f", v)
}

func agoWords(t time.Time) string {
	d := time.Since(t)
	switch {
	case d < time.Minute:
		return "just now"
	case d < time.Hour:
		return fmt.Sprintf("%.0f min ago", d.Minutes())
	case d < 24*time.Hour:
		return fmt.Sprintf("%.0f h ago", d.Hours())
	}
	return t.Format("2 Jan 2006")
}

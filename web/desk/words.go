package desk

import (
	"fmt"
	"time"

	"github.com/dustin/go-humanize"
)

// BytesWords writes a size.
func BytesWords(n any) string {
	switch n := n.(type) {
	case int64:
		return humanize.Bytes(uint64(max(n, 0)))
	case float64:
		return humanize.Bytes(uint64(max(n, 0)))
	}
	return ""
}

// SecondsWords writes how long something takes.
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

// CountWords writes how many there are, in three figures.
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

// agoWords writes when something was, within the last week as how long ago.
func agoWords(t time.Time) string {
	switch d := time.Since(t); {
	case d < time.Minute:
		return "just now"
	case d < 7*24*time.Hour:
		return humanize.Time(t)
	}
	return t.Format("2 Jan 2006")
}

// Package film turns linear light into a finished picture: exposure, steps of light,
// bloom, the plate behind, gain and saturation, the view transform, and lift and
// gamma, in that order.
//
// The view "film" is straight up to 0.8 and then bends, 1 − 0.2·exp(−(v − 0.8)/0.2),
// so that only infinite light is white; before that, colours whose brightest channel
// m is over 0.8 move towards m by 0.51·(1 − exp(−(m − 0.8)/6)): what glares
// bleaches. "plain" cuts off at 1. Both end in the sRGB transfer function.
//
// A [Frame] holds red, green, blue and alpha a pixel as float32, row by row from the
// top. Up to Develop it is linear and premultiplied, as the renderer gives it and
// OpenEXR wants it; after Develop it is coded for a screen with straight alpha, as
// PNG wants it. Nothing here keeps anything: every call makes a frame of its own,
// and results don't depend on the number of threads.
//
// Exposure comes first since all that follows is judged at the brightness that is
// seen: bloom spreads what glares, steps cut light into tones. The plate is laid
// under before the view transform, since smoke and plate were in one light: a plate
// that went through the transform alone would come out flatter than what stands
// before it. What only changes film never changes light, so a page develops the
// light that it has again and doesn't render anew.
package film

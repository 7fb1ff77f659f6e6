// Package handover writes sets of files for a receiver: volumes, vector fields,
// points, meshes with camera, pictures and flipbooks. Each has a folder of its
// own with a manifest and a receiver's checklist.
//
// Every file is written under another name, synced and renamed, read back and
// compared, and then noted in a journal. A handover that ended early goes on
// from the journal: files that are there and whole stay. A folder that holds
// anything else is refused.
//
// The shot's own space is metres, y up, right-handed. A handover turns voxels,
// places and vectors themselves, so that transforms in files stay scale and
// shift, which every receiver reads.
package handover

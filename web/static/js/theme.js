// The theme is set before anything is drawn.
document.documentElement.dataset.bsTheme = localStorage.getItem('zarf.theme') || 'dark';

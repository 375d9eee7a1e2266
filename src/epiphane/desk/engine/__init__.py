"""What runs beside the window: jobs, frames drawn ahead, thumbnails, playback, sound."""

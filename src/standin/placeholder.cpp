namespace anhinga {}

"""What was made for the reviewed revision, made again on its successor."""

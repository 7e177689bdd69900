"""What is done to sound: treatments, conversion and its proof, exports."""

"""Which of two set-ups receives better, and by how much: from measurements in turn, over fading."""

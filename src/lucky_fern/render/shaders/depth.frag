#version 330 core
// Depth alone.
void main() {}

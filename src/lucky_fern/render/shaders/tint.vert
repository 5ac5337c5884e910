#version 330 core
in vec3 in_position;
in vec4 in_colour;
uniform mat4 to_clip;
out vec4 colour;
void main() {
    colour = in_colour;
    gl_Position = to_clip * vec4(in_position, 1.0);
}

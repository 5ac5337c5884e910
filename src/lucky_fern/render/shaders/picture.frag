#version 330 core
in vec2 place;
uniform sampler2D picture;
out vec4 result;

void main() {
    result = texture(picture, place * 0.5 + 0.5);
}

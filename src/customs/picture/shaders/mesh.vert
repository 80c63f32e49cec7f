#version 330
in vec3 in_position;
in vec3 in_normal;
in vec4 in_tangent;
in vec2 in_uv0;
in vec2 in_uv1;
in vec4 in_colour;
#ifdef RIGGED
in vec4 in_joints0;
in vec4 in_joints1;
in vec4 in_weights0;
in vec4 in_weights1;
uniform bool skinned;
uniform sampler2D joint_matrices;
uniform int morph_count;
uniform float morph_weights[16];
uniform sampler2D morph_offsets;
uniform int vertex_count;
#endif
uniform mat4 model;
uniform mat4 view_projection;
out vec3 position;
out vec3 normal;
out vec4 tangent;
out vec2 uv0;
out vec2 uv1;
out vec4 colour;

#ifdef RIGGED
mat4 joint(float index) {
    int row = int(index + 0.5);
    return mat4(texelFetch(joint_matrices, ivec2(0, row), 0), texelFetch(joint_matrices, ivec2(1, row), 0),
                texelFetch(joint_matrices, ivec2(2, row), 0), texelFetch(joint_matrices, ivec2(3, row), 0));
}
#endif

void main() {
    vec3 p = in_position;
    mat4 m = model;
#ifdef RIGGED
    for (int i = 0; i < morph_count; i++) {
        int at = i * vertex_count + gl_VertexID;
        p += morph_weights[i] * texelFetch(morph_offsets, ivec2(at % 1024, at / 1024), 0).xyz;
    }
    if (skinned) {
        m = mat4(0.0);
        for (int i = 0; i < 4; i++) {
            m += in_weights0[i] * joint(in_joints0[i]);
            m += in_weights1[i] * joint(in_joints1[i]);
        }
    }
#endif
    vec4 world = m * vec4(p, 1.0);
    mat3 turn = mat3(m);
    mat3 cofactor = mat3(cross(turn[1], turn[2]), cross(turn[2], turn[0]), cross(turn[0], turn[1]));
    position = world.xyz;
    normal = cofactor * in_normal;
    tangent = vec4(turn * in_tangent.xyz, in_tangent.w);
    uv0 = in_uv0;
    uv1 = in_uv1;
    colour = in_colour;
    gl_Position = view_projection * world;
}
